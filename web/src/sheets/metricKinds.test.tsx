import { cleanup, fireEvent, screen, waitFor } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";
import type { Experiment, MetricUse } from "../api/client";
import { keys } from "../api/keys";
import { SESSION, comparison, experiment, interval, metricUse, reading, serve, show } from "../test/kit";
import { ofKind, FIRST } from "../library/kinds";
import { MetricsPanel } from "./brief/MetricsPanel";
import { EditingProvider } from "./editing";
import { Method } from "./evidence/Method";
import { VariantTable } from "./evidence/VariantTable";
import { DataIn } from "./watch/DataIn";

afterEach(cleanup);
const PATH = "/experiments/fare-calendar";
const WAIT: Partial<MetricUse> = {
  key: "wait",
  name: "wait",
  kind: "p90",
  is_rate: false,
  unit: "milliseconds",
  fields: [],
};

function open(part: React.ReactNode, known: Experiment) {
  return show(<EditingProvider experiment={known}>{part}</EditingProvider>, {
    known: [
      [keys.session, SESSION],
      [keys.experiment(known.key), known],
      [keys.segments, { segments: [["device"], ["source"], ["device", "source"]] }],
    ],
  });
}

describe("the strata of a rate", () => {
  const draft = experiment({ metrics: [metricUse()], rule_locked_at: null });

  it("are chosen among the single properties that are kept, and sent with the metrics", async () => {
    const calls = serve({ [`PATCH ${PATH}`]: [{ body: draft }] });
    open(<MetricsPanel />, draft);
    const choice = screen.getByLabelText("Compare within segments of");
    expect([...choice.querySelectorAll("option")].map((line) => line.textContent)).toEqual([
      "no property",
      "device",
      "source",
    ]);
    fireEvent.change(choice, { target: { value: "device" } });
    const sent = () => calls.filter((call) => call.method === "PATCH");
    await waitFor(() => expect(sent()).toHaveLength(1));
    expect(sent()[0]?.body).toMatchObject({ changes: { metrics: [{ name: "paid bookings", strata: "device" }] } });
  });

  it("are not offered for an amount, nor where shares follow the evidence", () => {
    open(<MetricsPanel />, experiment({ metrics: [metricUse(WAIT)] }));
    expect(screen.queryByLabelText("Compare within segments of")).toBeNull();
  });

  it("are named on the evidence", () => {
    show(<Method reading={reading({ stratified_by: "device", variance_removed: 0.12 })} />);
    expect(screen.getByText("Post-stratified by device")).toBeTruthy();
    expect(screen.queryByText("Adjustment by what came before")).toBeNull();
    // Nothing that this reading did not do.
    expect(screen.queryByText(/Koopman 1984/)).toBeNull();
    expect(screen.getByText(/by Fieller’s theorem/)).toBeTruthy();
  });
});

describe("a quantile", () => {
  it("is measured as an amount", () => {
    expect(ofKind(FIRST, "p90")).toMatchObject({ kind: "p90", unit: "number", measure: { kind: "amount" } });
    expect(ofKind(FIRST, "count")).toMatchObject({ measure: { kind: "count" } });
  });

  it("takes no daily sums: they are not offered for it", () => {
    open(<DataIn />, experiment({ metrics: [metricUse({ ...WAIT, role: "primary" })] }));
    expect(screen.queryByLabelText("File of daily counts")).toBeNull();
    expect(screen.getByText(/bring in a file of units, or events/)).toBeTruthy();
    cleanup();
    open(<DataIn />, experiment({ metrics: [metricUse(), metricUse({ ...WAIT, role: "secondary" })] }));
    expect([...screen.getByLabelText("Figures of").querySelectorAll("option")].map((line) => line.textContent)).toEqual(
      ["paid bookings (primary)"],
    );
  });

  it("is called by its name, with how many have a value", () => {
    const seen = reading({ kind: "90th percentile", unit: "milliseconds" });
    show(<VariantTable reading={seen} experiment="fare-calendar" />);
    expect(screen.getByRole("columnheader", { name: /90th percentile, ms/ })).toBeTruthy();
    expect(screen.getByRole("columnheader", { name: /With a value/ })).toBeTruthy();
    cleanup();
    show(<Method reading={reading({ kind: "median", comparisons: [comparison({ lift: interval(0, 0.1, 0.2) })] })} />);
    expect(screen.getByText(/Welch’s test of two medians/)).toBeTruthy();
    expect(screen.getByText(/Woodruff 1952/)).toBeTruthy();
  });
});
