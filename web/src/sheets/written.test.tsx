import { cleanup, fireEvent, screen, waitFor } from "@testing-library/react";
import { useState, type ReactNode } from "react";
import { Route, Routes } from "react-router";
import { describe, expect, it } from "vitest";
import { keys } from "../api/keys";
import { MetricPage } from "../library/MetricPage";
import { experiment, reading, serve, SESSION, show } from "../test/kit";
import { server } from "../test/setup";
import { FactorsPanel } from "./brief/FactorsPanel";
import { EditingProvider } from "./editing";
import { AudiencePanel } from "./traffic/AudiencePanel";
import { DecisionForm } from "./verdict/DecisionForm";
import { HandoverPanel } from "./verdict/HandoverPanel";
import { RolloutForm } from "./verdict/RolloutForm";
import { ChangeNotes } from "./watch/ChangeNotes";

const PATH = "/experiments/fare-calendar";
const DRAFT = experiment({ state: "draft" });
const RUNNING = experiment({ state: "running" });
const DECIDED = experiment({ state: "decided", decision: "B", data_from: "events" });
const NOTHING = { rollout: null, places: [], lesson: { learnt: "", why: "" } };

function NewMetric() {
  return (
    <Routes>
      <Route path="/metrics/:key" element={<MetricPage />} />
    </Routes>
  );
}

/** A rollout whose form opens again after a reload by the hand of the person. */
function Rollout() {
  const [open, setOpen] = useState(true);
  return open ? <RolloutForm rollout={null} close={() => setOpen(false)} /> : <p>closed</p>;
}

interface Form {
  name: string;
  part: ReactNode;
  of?: ReturnType<typeof experiment>;
  /** What must be pressed before there is a field. */
  press?: string;
  field: string;
  written: string;
}

const FORMS: Form[] = [
  { name: "a change elsewhere", part: <ChangeNotes />, of: RUNNING, field: "What changed", written: "A strike" },
  { name: "factors", part: <FactorsPanel />, press: "Test several factors…", field: "Factor 1", written: "photo" },
  {
    name: "a decision",
    part: <DecisionForm reading={reading()} />,
    of: RUNNING,
    field: "Share of step 1",
    written: "40",
  },
  { name: "a rollout", part: <Rollout />, of: DECIDED, field: "Held out, in percent", written: "7" },
  { name: "a place", part: <HandoverPanel />, of: DECIDED, field: "A place to change", written: "Price list" },
  {
    name: "a rule of the audience",
    part: <AudiencePanel />,
    press: "Add a rule",
    field: "Group 1, condition 1: property",
    written: "device",
  },
  { name: "a metric", part: <NewMetric />, field: "Name", written: "tickets" },
];

const form = (name: string): Form => FORMS.find((one) => one.name === name)!;

const open = (part: ReactNode, of = DRAFT) =>
  show(<EditingProvider experiment={of}>{part}</EditingProvider>, {
    address: "/metrics/new",
    known: [
      [keys.session, SESSION],
      [keys.experiment("fare-calendar"), of],
      [keys.handover("fare-calendar"), NOTHING],
      [keys.notes("fare-calendar"), []],
    ],
  });

const field = (name: string) => screen.getAllByLabelText<HTMLInputElement>(name)[0]!;

describe("what is written in a form with a button of its own", () => {
  it.each(FORMS)("is there again after a reload: $name", ({ part, of, press, field: name, written }) => {
    server.answer = () => Promise.resolve(new Response("{}", { status: 410 })); // nothing else is there
    open(part, of);
    if (press) fireEvent.click(screen.getByText(press));
    fireEvent.change(field(name), { target: { value: written } });
    fireEvent.blur(field(name));
    cleanup();
    open(part, of);
    expect(field(name).value).toBe(written);
  });

  it.each<Form & { send: string; call: string; body: unknown; more?: [field: string, written: string] }>([
    {
      ...form("a change elsewhere"),
      more: ["Day of the change", "2026-03-02"],
      send: "Add",
      call: `POST ${PATH}/notes`,
      body: {},
    },
    { ...form("a decision"), send: "Record the decision", call: `POST ${PATH}/decision`, body: DECIDED },
    { ...form("a rollout"), send: "Save the rollout", call: `PUT ${PATH}/rollout`, body: NOTHING },
    { ...form("a place"), send: "Add", call: `POST ${PATH}/places`, body: NOTHING },
    { ...form("a metric"), send: "Create", call: "POST /metrics", body: { key: "new", version: 1 } },
  ])("is done with once it was sent, also where the answer comes when the form was left: $name", async (sent) => {
    let answer: (value?: unknown) => void = () => undefined;
    const after = new Promise((resolve) => (answer = resolve));
    const calls = serve({ [sent.call]: [{ body: sent.body, after }] });
    const others = server.answer;
    server.answer = (input, init) =>
      (input as Request).method === "GET"
        ? Promise.resolve(new Response("{}", { status: 410 })) // nothing else is there
        : others(input, init);
    open(sent.part, sent.of);
    for (const [name, written] of [[sent.field, sent.written] as const, ...(sent.more ? [sent.more] : [])])
      fireEvent.change(field(name), { target: { value: written } });
    fireEvent.blur(field(sent.field));
    fireEvent.click(screen.getByText(sent.send));
    await waitFor(() => expect(calls).toHaveLength(1));
    cleanup();
    expect(localStorage.length).toBe(1);
    answer();
    await waitFor(() => expect(localStorage.length).toBe(0));
  });

  it("of the audience waits for nothing once it is what is stored", () => {
    server.answer = () => Promise.resolve(new Response("{}", { status: 410 }));
    open(<AudiencePanel />);
    fireEvent.click(screen.getByText("Add a rule"));
    expect(localStorage.length).toBe(1);
    fireEvent.click(screen.getByLabelText("Remove group 1"));
    expect(localStorage.length).toBe(0);
  });

  it("is given up with Cancel", () => {
    open(<Rollout />, DECIDED);
    fireEvent.change(field("Held out, in percent"), { target: { value: "7" } });
    fireEvent.click(screen.getByText("Cancel"));
    cleanup();
    open(<Rollout />, DECIDED);
    expect(field("Held out, in percent").value).toBe("0");
  });

  it("of factors is over once others are stored", () => {
    open(<FactorsPanel />);
    fireEvent.click(screen.getByText("Test several factors…"));
    fireEvent.change(field("Factor 1"), { target: { value: "photo" } });
    cleanup();
    open(<FactorsPanel />, experiment({ factors: [{ name: "badge", levels: ["none", "shown"] }] }));
    expect(field("Factor 1").value).toBe("badge");
    expect(localStorage.length).toBe(0);
  });
});
