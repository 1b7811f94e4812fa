import { Link, useParams } from "react-router";
import type { Comparison, Report } from "../api/client";
import { useReport } from "../api/hooks";
import { IntervalStrip, StripAxis } from "../charts/IntervalStrip";
import { sharedAxis } from "../lib/axis";
import { count, day, percentText, plural, signed } from "../lib/format";
import { figuresOf } from "../lib/metrics";
import { VERDICTS } from "../lib/words";
import { Failure, Skeleton } from "../parts/basics";
import { Headline } from "../parts/Headline";
import { Letter } from "../parts/Letter";
import { useWidth } from "../lib/useWidth";
import { SideBySide } from "../sheets/brief/Pictures";
import { RuleChanges } from "../sheets/sizing/RulePanel";

export function ReportPage() {
  const { key = "" } = useParams();
  const report = useReport(key);
  return (
    <main className="mx-auto max-w-[820px] px-3 py-5 print:p-0">
      <div className="no-print mb-2 flex items-center gap-4 text-sm">
        <Link to="/" className="link">
          Docket
        </Link>
        <Link to={`/experiments/${key}/verdict`} className="link">
          The experiment
        </Link>
        <button className="btn btn-xs ml-auto" onClick={() => window.print()}>
          Print
        </button>
      </div>
      {report.isPending && <Skeleton rows={6} />}
      {report.isError && <Failure error={report.error} again={() => void report.refetch()} />}
      {report.data && <Sheet report={report.data} />}
    </main>
  );
}

function Sheet({ report }: { report: Report }) {
  const { reading } = report;
  const look = VERDICTS[reading.verdict];
  const unsound = reading.verdict === "unsound";
  const units = reading.arms.reduce((sum, arm) => sum + arm.units, 0);
  return (
    <article className="report-sheet sheet px-12 py-7 max-sm:px-5">
      <div className="quiet flex flex-wrap justify-between gap-x-4 text-sm">
        <span>
          {report.decided_at ? `Verdict of ${day(report.decided_at)}` : "Not decided yet"} · {report.workspace}
          {report.area && `, ${report.area.toLowerCase()}`}
        </span>
        <span>
          {report.rule_locked_at &&
            `by the rule set on ${day(report.rule_locked_at)}, ${report.rule_changes.length ? "changed since" : "unchanged"}`}
        </span>
      </div>
      <h1 className="mt-2 font-sans text-sm font-semibold">{report.name}</h1>
      <Headline
        text={reading.headline}
        figure={reading.figure}
        tone={look.tone}
        className="mt-1 text-[31px] max-sm:text-2xl"
      />
      <p className="mt-1 font-serif text-xl">{report.decision_sentence}</p>
      {report.against_rule && (
        <p className="tone-mind mt-1">
          This differs from the rule, which says “{look.name.toLowerCase()}”: {report.decision_reason}
        </p>
      )}
      {!unsound && reading.comparisons.length > 0 && <Picture comparisons={reading.comparisons} report={report} />}
      <p className="mt-1 text-sm">
        {reading.detail}
        {!unsound &&
          ` Inside the grey band (±${percentText(reading.worthwhile_lift)}%) a change is too small to act on.`}
      </p>
      <dl className="mt-4 grid grid-cols-3 gap-6 border-y border-base-300 py-3 max-sm:grid-cols-1 max-sm:gap-3">
        <ImpactFigure report={report} />
        <Figure
          label="Seen by"
          value={`${count(units)} ${reading.unit_name}`}
          note={
            reading.read_on
              ? `up to the look of ${day(reading.read_on)}${report.started_on ? `, from ${day(report.started_on)}` : ""}`
              : `${plural(reading.days, "day")}${report.started_on ? `, from ${day(report.started_on)}` : ""}`
          }
        />
        <Figure
          label="Confidence"
          value={`${percentText(reading.confidence)}%`}
          note={
            reading.verdict === "keep_collecting"
              ? "when the rule is read, not before"
              : `${percentText(reading.confidence)} of 100 such intervals hold the true lift`
          }
        />
      </dl>
      <Variants report={report} />
      <Sides reading={reading} />
      <SideBySide variants={reading.arms.map((arm, index) => ({ ...arm, pictures: report.pictures[index] ?? [] }))} />
      <div className="mt-4 grid grid-cols-3 gap-6 text-sm max-sm:grid-cols-1 max-sm:gap-3">
        <Section title="What we believed">{report.hypothesis}</Section>
        <Section title="What to keep in mind">{[...reading.mind, caveat(report)].join(" ")}</Section>
        <Section title="What happens next">
          {report.decision_next || (report.decision ? "Nothing is noted." : "A decision is still to be made.")}
        </Section>
      </div>
      <RuleChanges experiment={report} />
      <p className="quiet mt-4 border-t border-base-300 pt-2 text-xs">{reading.rule_in_words}</p>
    </article>
  );
}

function Picture({ comparisons, report }: { comparisons: Comparison[]; report: Report }) {
  const { worthwhile_lift: worthwhile } = report.reading;
  const axis = sharedAxis(
    comparisons.map((c) => c.lift),
    worthwhile,
    5,
  );
  const [holder, width] = useWidth(720);
  const room = width - (comparisons.length > 1 ? 28 : 0);
  return (
    <div ref={holder} className="mt-4">
      <div className={comparisons.length > 1 ? "pl-7" : ""}>
        <StripAxis axis={axis} width={room} />
      </div>
      {comparisons.map((comparison) => (
        <div key={comparison.letter} className="mt-1 flex items-center gap-2">
          {comparisons.length > 1 && <Letter letter={comparison.letter} />}
          <IntervalStrip
            lift={comparison.lift}
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

/** The gain a month of the variant that is spoken of: the decided one, else the verdict's. */
function ImpactFigure({ report }: { report: Report }) {
  const { reading } = report;
  const letter = reading.comparisons.some((c) => c.letter === report.decision) ? report.decision : reading.variant;
  const spoken = reading.comparisons.find((c) => c.letter === letter) ?? reading.comparisons[0];
  const impact = spoken?.impact_a_month;
  if (!spoken || impact?.estimate == null || reading.verdict === "unsound" || reading.verdict === "keep_collecting") {
    return (
      <Figure
        label="Worth a month"
        value="not known"
        note={reading.verdict === "unsound" ? "an unsound test tells nothing" : "too early to say"}
      />
    );
  }
  const more = impact.estimate >= 0 ? "more" : "fewer";
  const whole = (value: number | null) => (value === null ? "no limit" : count(Number(value.toPrecision(2))));
  return (
    <Figure
      label={`With ${spoken.letter}, a month`}
      value={`about ${whole(Math.abs(impact.estimate))} ${more}`}
      note={`${reading.metric}, between ${whole(impact.low)} and ${whole(impact.high)}`}
    />
  );
}

function Variants({ report }: { report: Report }) {
  const { reading } = report;
  const figures = figuresOf(
    reading,
    reading.arms.map((arm) => arm.rate.estimate),
  );
  return (
    <ul className="mt-4 grid gap-1.5">
      {reading.arms.map((arm, index) => {
        const comparison = reading.comparisons.find((c) => c.letter === arm.letter);
        return (
          <li key={arm.letter} className="flex flex-wrap items-baseline gap-x-3 gap-y-0.5">
            <span className="self-center">
              <Letter letter={arm.letter} />
            </span>
            <span className="font-semibold">{arm.name}</span>
            <span className="quiet text-sm">{index === 0 ? "as it was" : report.tried[index]?.join("; ")}</span>
            <span className="ml-auto whitespace-nowrap">
              {figures.full(arm.rate.estimate)}{" "}
              <span className="quiet text-sm">
                {reading.kind === "rate"
                  ? `(${count(arm.total)} of ${count(arm.units)})`
                  : `(${count(arm.units)} ${reading.unit_name})`}
              </span>
              {comparison && reading.verdict !== "unsound" && (
                <b className="ml-2">{signed(comparison.lift.estimate)}</b>
              )}
            </span>
          </li>
        );
      })}
    </ul>
  );
}

/** The metrics beside, one sentence each. */
function Sides({ reading }: { reading: Report["reading"] }) {
  if (reading.sides.length === 0 || reading.verdict === "unsound") return null;
  return (
    <ul className="mt-2 text-sm">
      {reading.sides.flatMap((side) =>
        side.comparisons.map((line) => (
          <li key={`${side.key}-${line.letter}`}>
            <span className="quiet">{side.role}:</span> {line.sentence}
            {side.role === "guardrail" && side.margin != null && (
              <b>
                {line.kept ? " – within its margin" : line.lost ? " – harmed" : " – not shown to be within its margin"}
              </b>
            )}
            .
          </li>
        )),
      )}
    </ul>
  );
}

function caveat(report: Report): string {
  if (report.reading.verdict === "unsound")
    return "The data contradicts the plan, so no figure of this test should be used.";
  return "The lift is that of the weeks and visitors tested; a winner’s true lift is on average a little smaller than the one seen.";
}

function Figure({ label, value, note }: { label: string; value: string; note: string }) {
  return (
    <div>
      <dt className="quiet text-sm">{label}</dt>
      <dd>
        <span className="block font-serif text-xl">{value}</span>
        <span className="quiet text-sm">{note}</span>
      </dd>
    </div>
  );
}

function Section({ title, children }: { title: string; children: string }) {
  return (
    <section>
      <h2 className="mb-0.5 text-[17px]">{title}</h2>
      <p>{children}</p>
    </section>
  );
}
