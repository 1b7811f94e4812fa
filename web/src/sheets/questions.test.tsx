import { cleanup, fireEvent, screen, waitFor } from "@testing-library/react";
import { Route, Routes } from "react-router";
import { afterEach, describe, expect, it } from "vitest";
import { keys } from "../api/keys";
import { questionNamed, vocabulary } from "../api/vocabulary";
import { LooksPicture } from "../charts/LooksPicture";
import { experiment, metricUse, serve, SESSION, show } from "../test/kit";
import { BriefSheet } from "./brief/BriefSheet";
import { MetricsPanel } from "./brief/MetricsPanel";
import { EditingProvider } from "./editing";
import { SizingSheet } from "./sizing/SizingSheet";

afterEach(cleanup);
const PATH = "/experiments/fare-calendar";

function open(part: React.ReactNode, shown = experiment(), standing = "") {
  return show(
    <Routes>
      <Route path="/experiments/:key/:sheet" element={<EditingProvider experiment={shown}>{part}</EditingProvider>} />
    </Routes>,
    {
      address: `${PATH}/sizing`,
      known: [
        [keys.session, SESSION],
        [keys.experiment("fare-calendar"), shown],
        [keys.metrics(""), { items: [], count: 0 }],
        [keys.past("fare-calendar", shown.metric), { items: [], standing }],
        [keys.forecasts("fare-calendar"), { open: true, sealed: true, outcome: null, forecasts: [] }],
      ],
    },
  );
}

describe("the question of a rule", () => {
  it("is chosen in Sizing, which then asks for a margin", async () => {
    const calls = serve({ [`PATCH ${PATH}`]: [{ body: experiment({ question: "equivalence" }) }] });
    open(<SizingSheet />, experiment({ question: "noninferiority" }), "Control showed 4% to 6% in 5 decided tests.");
    expect(screen.getByLabelText("Margin")).toBeTruthy();
    expect(screen.queryByLabelText("Smallest lift worth acting on")).toBeNull();
    expect(screen.getByText(/leaves out every loss as large as the margin/)).toBeTruthy();
    expect(screen.getByText("Control showed 4% to 6% in 5 decided tests.")).toBeTruthy();
    fireEvent.change(screen.getByLabelText("Question"), { target: { value: "equivalence" } });
    await waitFor(() => expect(calls.some((call) => call.method === "PATCH")).toBe(true));
    expect(calls.find((call) => call.method === "PATCH")?.body).toMatchObject({ changes: { question: "equivalence" } });
  });

  it("offers only what the design can ask", () => {
    open(<SizingSheet />, experiment({ design: "factorial" }));
    const options = screen.getByLabelText("Question").querySelectorAll("option");
    expect([...options].map((one) => one.textContent)).toEqual(["Is it better?"]);
  });

  it.each(vocabulary.questions.map(({ name }) => name))("draws the boundary of %s on its sides", (name) => {
    const question = questionNamed(name);
    const looks = [{ day: 14, information: 1, critical_value: 2, nominal: 0.05, lift: -0.02 }];
    show(<LooksPicture looks={looks} days={14} worthwhile={0.05} question={question} good={-1} />);
    const lines = screen.getByRole("img").querySelectorAll("polyline");
    expect(lines).toHaveLength(question.lines === "both" ? 2 : 1);
  });
});

describe("a metric that is not in the library", () => {
  const refused = {
    status: 422,
    body: {
      title: "Wrong",
      errors: [{ field: "metrics.0.name", message: "metrics.0.name (paid bokings) must be a metric of the library" }],
    },
  };

  it("is made only where that is said", async () => {
    const shown = experiment({ metrics: [], metric: "" });
    const calls = serve({ [`PATCH ${PATH}`]: [refused, { body: experiment() }] });
    open(<BriefSheet />, shown);
    const field = screen.getByRole("combobox", { name: "Primary metric" });
    fireEvent.change(field, { target: { value: "paid bokings" } });
    fireEvent.keyDown(field, { key: "Enter" });
    fireEvent.click(await screen.findByText("Make “paid bokings” a new metric, a plain conversion"));
    await waitFor(() => expect(calls.filter((call) => call.method === "PATCH")).toHaveLength(2));
    const sent = calls.filter((call) => call.method === "PATCH").map((call) => call.body as { changes: object });
    expect(sent[0]?.changes).toMatchObject({ metrics: [{ name: "paid bokings", new: false }] });
    expect(sent[1]?.changes).toMatchObject({ metrics: [{ name: "paid bokings", new: true }] });
  });

  it("has a direction of its own in the experiment", async () => {
    const calls = serve({ [`PATCH ${PATH}`]: [{ body: experiment() }] });
    open(<MetricsPanel />, experiment({ metrics: [metricUse({ name: "refunds", good_direction: "up" })] }));
    const field = screen.getByLabelText("Good direction of refunds");
    expect(field.querySelector("option")?.textContent).toBe("more, as the library has it");
    fireEvent.change(field, { target: { value: "down" } });
    const patches = () => calls.filter((call) => call.method === "PATCH");
    await waitFor(() => expect(patches()).toHaveLength(1));
    expect(patches()[0]?.body).toMatchObject({ changes: { metrics: [{ name: "refunds", direction: "down" }] } });
  });
});
