import type { Comparison, Report } from "../api/client";
import { IntervalStrip, StripAxis } from "../charts/IntervalStrip";
import { verdictNamed } from "../api/vocabulary";
import { sharedAxis } from "../lib/axis";
import { tickOf } from "../lib/metrics";
import { useWidth } from "../lib/useWidth";
import { Letter } from "../parts/Letter";
import { EarlierPictures, SideBySide } from "../sheets/brief/Pictures";
import { ChangesAfterStart } from "../sheets/sizing/RulePanel";
import { Facts, Head, Section } from "./parts";

/** The one page a stakeholder reads. All its sentences come from the server. */
export function ReportSheet({ report }: { report: Report }) {
  const { reading } = report;
  const look = verdictNamed(reading.verdict);
  const unsound = reading.verdict === "unsound";
  return (
    <article className="report-sheet sheet px-12 py-7 max-sm:px-5">
      <Head report={report} look={look} />
      {!unsound && reading.comparisons.length > 0 && <Picture comparisons={reading.comparisons} report={report} />}
      <p className="mt-1 text-sm">
        {reading.detail}
        {!unsound && ` Inside the grey band (±${reading.worthwhile_text}) ${reading.size_meaning}.`}
      </p>
      <Facts facts={report.facts} />
      <Variants report={report} />
      {report.secondary.length > 0 && (
        <ul className="mt-2 text-sm print:text-xs print:leading-tight">
          {report.secondary.map((line) => (
            <li key={line}>{line}</li>
          ))}
        </ul>
      )}
      <SideBySide variants={reading.arms.map((arm, index) => ({ ...arm, pictures: report.pictures[index] ?? [] }))} />
      {reading.arms.map((arm, index) => (
        <EarlierPictures key={arm.letter} pictures={report.earlier_pictures[index] ?? []} variant={arm} />
      ))}
      <div className="mt-4 grid grid-cols-3 gap-x-6 gap-y-4 text-sm max-sm:grid-cols-1 print:mt-2 print:gap-y-2">
        <Section title="What we believed">{report.hypothesis}</Section>
        <Section title="What to keep in mind">{report.caveats.join(" ")}</Section>
        <Section title="What happens next">{report.next_step}</Section>
        {report.rollout_brings && <Section title="What the rollout brings">{report.rollout_brings}</Section>}
        {report.why && <Section title="Why we think so">{report.why}</Section>}
        {report.learnt && <Section title="What was learnt">{report.learnt}</Section>}
        <Section title="How it was decided">{report.how_decided}</Section>
        {report.shared_out && <Section title={`How ${reading.unit_name} were allocated`}>{report.shared_out}</Section>}
      </div>
      <ChangesAfterStart experiment={report} />
      <p className="quiet mt-4 border-t border-base-300 pt-2 text-xs print:mt-2 print:pt-1">
        {/* On paper the facts say up to which day. */}
        {report.data_until && <span className="print:hidden">{report.data_until} </span>}
        {reading.rule_in_words}
      </p>
    </article>
  );
}

function Picture({ comparisons, report }: { comparisons: Comparison[]; report: Report }) {
  const { worthwhile_lift: worthwhile } = report.reading;
  const axis = sharedAxis(
    comparisons.map((c) => c.effect),
    worthwhile,
    5,
  );
  const tick = tickOf(report.reading);
  const [holder, width] = useWidth(720);
  // Before it is laid out there is no width.
  const room = Math.max(width - (comparisons.length > 1 ? 28 : 0), 40);
  return (
    <div ref={holder} className="mt-4">
      <div className={comparisons.length > 1 ? "pl-7" : ""}>
        <StripAxis axis={axis} width={room} {...(tick && { written: tick })} />
      </div>
      {comparisons.map((comparison) => (
        <div key={comparison.letter} className="mt-1 flex items-center gap-2">
          {comparisons.length > 1 && <Letter letter={comparison.letter} />}
          <IntervalStrip
            lift={comparison.effect}
            tone={comparison.tone}
            worthwhile={worthwhile}
            axis={axis}
            width={room}
            height={comparisons.length > 1 ? 24 : 40}
            sentence={comparison.sentence}
          />
        </div>
      ))}
    </div>
  );
}

function Variants({ report }: { report: Report }) {
  return (
    <ul className="mt-4 grid gap-1.5">
      {report.lines.map((line) => (
        <li key={line.letter} className="flex flex-wrap items-baseline gap-x-3 gap-y-0.5">
          <span className="self-center">
            <Letter letter={line.letter} />
          </span>
          <span className="font-semibold" dir="auto">
            {line.name}
          </span>
          <span className="quiet text-sm">{line.changes}</span>
          <span className="ml-auto whitespace-nowrap">
            {line.level} <span className="quiet text-sm">({line.counts})</span>
            {line.lift && <b className="ml-2">{line.lift}</b>}
          </span>
        </li>
      ))}
    </ul>
  );
}
