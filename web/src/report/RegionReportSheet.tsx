import type { RegionReport } from "../api/client";
import { verdictNamed } from "../api/vocabulary";
import { ReturnPicture } from "../charts/ReturnPicture";
import { TONE_COLOUR } from "../lib/words";
import { returnLines } from "../sheets/regions/groups";
import { Facts, Head, Section } from "./parts";

/** What the money brought, on one page. All its sentences come from the server. */
export function RegionReportSheet({ report }: { report: RegionReport }) {
  const { reading } = report;
  const look = verdictNamed(reading.verdict);
  const lines = returnLines(reading);
  return (
    <article className="report-sheet sheet px-12 py-7 max-sm:px-5">
      <Head report={report} look={look} />
      {look.readable && look.settled && lines.length > 0 && (
        <div className="mt-4">
          <ReturnPicture
            lines={lines}
            breakEven={reading.break_even}
            within={reading.same_within}
            colour={TONE_COLOUR[look.tone]}
          />
        </div>
      )}
      <p className="mt-1 text-sm">{reading.detail}</p>
      <Facts facts={report.facts} />
      {report.outcomes.length > 0 && (
        <ul className="mt-3 text-sm">
          {report.outcomes.map((line) => (
            <li key={line}>{line}</li>
          ))}
        </ul>
      )}
      <div className="mt-4 grid grid-cols-3 gap-x-6 gap-y-4 text-sm max-sm:grid-cols-1 print:mt-2 print:gap-y-2">
        <Section title="Why it was tested">{report.because}</Section>
        <Section title="What to keep in mind">{report.caveats.join(" ")}</Section>
        <Section title="What happens next">{report.next_step}</Section>
        {report.why && <Section title="Why we think so">{report.why}</Section>}
        {report.learnt && <Section title="What was learnt">{report.learnt}</Section>}
        <Section title="How it was decided">{report.how_decided}</Section>
      </div>
      <p className="quiet mt-4 border-t border-base-300 pt-2 text-xs print:mt-2 print:pt-1">{reading.rule_in_words}</p>
    </article>
  );
}
