import type { ReactNode } from "react";
import { Link } from "react-router";
import { vocabulary, type Tone } from "./api/vocabulary";
import { TONE_CLASS } from "./lib/words";
import { useTitle } from "./parts/title";

interface Entry {
  name: ReactNode;
  text: ReactNode;
}

/** From a question to a decision, sheet by sheet. */
const WAY: Entry[] = [
  {
    name: "Brief",
    text: "What changes, for whom, and why it should help; the metric that decides, and what must not be harmed; the variants.",
  },
  {
    name: "Sizing",
    text: "How many units and weeks it takes, and the rule by which the end is read. The rule is written down here and locked by the start: later it changes only for a reason, which the report shows.",
  },
  {
    name: "Traffic",
    text: "Who qualifies, how many of them are included, how they are split, and from when to when. From here an experiment is ready to start.",
  },
  {
    name: "Watch",
    text: "Whether the data come in as planned: arrivals, the split, doubtful events. Counts are brought in here, where they are counted elsewhere.",
  },
  {
    name: "Evidence",
    text: "Lifts with their intervals, the guardrails, the course over time, segments. “How these figures are made” has the method and its source.",
  },
  {
    name: "Verdict",
    text: "What the rule says, your decision (another one needs a reason), the report for stakeholders, the rollout, and what was learnt.",
  },
];

const DATA: Entry[] = [
  {
    name: "From the page or a server",
    text: (
      <>
        The page’s script or a server asks which variant a visitor gets and sends what happened. Keys and snippets are
        under{" "}
        <Link className="link" to="/connections">
          Connections
        </Link>
        .
      </>
    ),
  },
  {
    name: "Counts by day",
    text: "On Watch: a file (CSV), or typed and pasted, headings included. A preview shows what will be stored before anything is.",
  },
  { name: "A file with a row a unit", text: "On Watch, for metrics that cannot be had from daily sums." },
  {
    name: "Counted where the data live",
    text: "A command counts in your own store and brings in sums; no row of a person leaves it.",
  },
];

const DOUBT: Entry[] = [
  {
    name: "“Unsound”",
    text: "The split, the overlap in time or the data contradict the design. Find where units are lost or counted twice, mend it, and start another round: a lift read all the same would be believed.",
  },
  {
    name: "“Keep collecting” for long",
    text: "The conditions at the right say what is still missing. Sizing shows what another lift, another split or more traffic would take.",
  },
  {
    name: "A change in the middle",
    text: "The split is changed on Traffic, for a reason: the variants are then compared within the stretches in which it was the same. A change of what a variant is needs another round.",
  },
  {
    name: "Something was done by mistake",
    text: "Ctrl Z and Ctrl Y go back and forth through your own edits; the ledger has every change with who and when; what was archived can be restored.",
  },
];

/** What the application is for and how one goes through it, on one page. */
export function ManualPage() {
  useTitle("Manual");
  const parts: { id: string; title: string; body: ReactNode }[] = [
    {
      id: "counts-in-hand",
      title: "You have counts already",
      body: (
        <p>
          Paste them into the{" "}
          <Link className="link" to="/scratchpad">
            Scratchpad
          </Link>
          : a row a variant, with units and conversions. The verdict follows as you type, its address can be passed on,
          and <b>Make this an experiment…</b> takes names, rule and rate over. How many units a test needs is answered
          there too.
        </p>
      ),
    },
    {
      id: "the-way",
      title: "From a question to a decision",
      body: (
        <>
          <p className="mb-2">
            An experiment has six sheets, reached by the keys 1 to 6. They follow the work; the column at the right says
            at every moment where it stands and what to do next.
          </p>
          <Entries entries={WAY} />
        </>
      ),
    },
    {
      id: "questions",
      title: "What can be asked",
      body: <Entries entries={vocabulary.questions.map((one) => ({ name: one.title, text: one.explanation }))} />,
    },
    {
      id: "methods",
      title: "When the evidence is read",
      body: <Entries entries={vocabulary.methods.map((one) => ({ name: one.title, text: one.explanation }))} />,
    },
    {
      id: "designs",
      title: "How traffic is shared out",
      body: <Entries entries={vocabulary.designs.map((one) => ({ name: one.title, text: one.explanation }))} />,
    },
    { id: "data", title: "How data come in", body: <Entries entries={DATA} /> },
    {
      id: "verdicts",
      title: "What the verdicts mean",
      body: (
        <Entries
          entries={vocabulary.verdicts.map((one) => ({
            name: <Marked mark={one.mark} tone={one.tone} title={one.title} />,
            text: one.meaning,
          }))}
        />
      ),
    },
    { id: "doubt", title: "When something looks wrong", body: <Entries entries={DOUBT} /> },
  ];
  return (
    <main className="mx-auto max-w-[860px] px-6 pt-4 pb-12 max-sm:px-3">
      <h1 className="text-[27px]">Manual</h1>
      <p className="quiet mb-3">
        A dotted word or a ? explains itself where it stands; all of them are in the{" "}
        <Link className="link" to="/glossary">
          glossary
        </Link>
        . The key ? lists the keys, Ctrl K finds everything by its name.
      </p>
      <nav aria-label="In this manual" className="mb-4 flex flex-wrap gap-x-4 gap-y-1 text-sm">
        {parts.map((part) => (
          <a key={part.id} className="link" href={`#${part.id}`}>
            {part.title}
          </a>
        ))}
      </nav>
      {parts.map((part) => (
        <section
          key={part.id}
          id={part.id}
          aria-labelledby={`${part.id}-title`}
          className="sheet mb-3 scroll-mt-16 p-4"
        >
          <h2 id={`${part.id}-title`} className="mb-1 text-[19px]">
            {part.title}
          </h2>
          {part.body}
        </section>
      ))}
    </main>
  );
}

function Entries({ entries }: { entries: Entry[] }) {
  return (
    <dl className="divide-y divide-base-300">
      {entries.map((entry, index) => (
        <div key={index} className="grid grid-cols-[200px_minmax(0,1fr)] gap-x-4 py-2 max-sm:grid-cols-1">
          <dt className="font-semibold">{entry.name}</dt>
          <dd>{entry.text}</dd>
        </div>
      ))}
    </dl>
  );
}

function Marked({ mark, tone, title }: { mark: string; tone: Tone; title: string }) {
  return (
    <>
      <span aria-hidden className={`mr-1.5 inline-block w-4 ${TONE_CLASS[tone]}`}>
        {mark}
      </span>
      {title}
    </>
  );
}
