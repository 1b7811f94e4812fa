import { cleanup, fireEvent, screen, waitFor } from "@testing-library/react";
import { useState } from "react";
import { useLocation } from "react-router";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { Schemas } from "../api/client";
import { serve, show } from "../test/kit";
import Palette from "./Palette";

afterEach(cleanup);

const FOUND: Schemas["SearchOut"] = {
  experiments: [
    { key: "fare", name: "Fare calendar", area: "Booking", state: "running", where: "name", excerpt: "" },
    { key: "berth", name: "Berths", area: "", state: "decided", where: "lesson", excerpt: "Fares matter" },
  ],
  further: 3,
  metrics: [{ key: "fare-paid", name: "fare paid", experiments: 2 }],
  people: [{ username: "farah", display_name: "Farah Lind", experiments: 1 }],
};

function Address() {
  const { pathname, search } = useLocation();
  return <output aria-label="address">{pathname + search}</output>;
}

const where = () => document.querySelector("output")?.textContent;

function Typed({ close, run }: { close: () => void; run: () => void }) {
  const [typed, type] = useState("");
  return <Palette close={close} actions={[{ title: "New experiment", run }]} typed={typed} type={type} />;
}

function open(address = "/experiments/berth/evidence") {
  const close = vi.fn();
  const run = vi.fn();
  show(
    <>
      <Typed close={close} run={run} />
      <Address />
    </>,
    { address },
  );
  return { close, run };
}

const type = (text: string) =>
  fireEvent.change(screen.getByRole("searchbox", { name: "Find" }), { target: { value: text } });
const titles = () => screen.getAllByRole("menuitem").map((one) => one.textContent);

describe("the search over everything", () => {
  it("offers the sheets of the open experiment, places and actions before anything is typed", () => {
    open();
    expect(titles()).toEqual(expect.arrayContaining(["Evidence", "Ledger", "Docket", "New experiment"]));
    cleanup();
    open("/casebook");
    expect(titles()).not.toContain("Evidence");
  });

  it("narrows them by words and finds the rest on the server, with where the words stand", async () => {
    const calls = serve({ "GET /search": [{ body: FOUND }] });
    open();
    type("fare");
    await screen.findByText("Fare calendar");
    expect(titles()).toEqual([
      "Fare calendarrunning · Booking",
      "Berthsdecided · Lesson: Fares matter",
      "3 more experimentsin the docket",
      "fare paidin 2 experiments",
      "Farah Lind1 experiment",
    ]);
    expect(calls.map((call) => [call.path, call.query])).toEqual([["/search", "words=fare"]]);
  });

  it.each([
    ["Fare calendar", "/experiments/fare/brief"],
    ["Berths", "/experiments/berth/verdict"],
    ["3 more experiments", "/?search=fare"],
    ["fare paid", "/metrics/fare-paid"],
    ["Farah Lind", "/?owner=farah"],
  ])("stays over the open page until one is chosen: %s", async (title, address) => {
    serve({ "GET /search": [{ body: FOUND }] });
    const { close } = open();
    type("fare");
    const found = await screen.findByText(title);
    expect(where()).toBe("/experiments/berth/evidence");
    fireEvent.click(found);
    await waitFor(() => expect(where()).toBe(address));
    expect(close).toHaveBeenCalledOnce();
  });

  it("does what is chosen", async () => {
    const { run, close } = open();
    fireEvent.click(screen.getByText("New experiment"));
    await waitFor(() => expect(run).toHaveBeenCalledOnce());
    expect(close).toHaveBeenCalledOnce();
  });

  it("says when nothing holds the words, and when the search does not answer", async () => {
    serve({ "GET /search": [{ body: { experiments: [], further: 0, metrics: [], people: [] } }] });
    open();
    type("zebra");
    await screen.findByText(/Nothing holds “zebra”/);
    cleanup();
    serve({ "GET /search": [{ status: 500, body: { title: "No", status: 500 } }] });
    open();
    type("zebras");
    await screen.findByText(/does not answer/);
  });
});
