import type { RegionReport, Report } from "../api/client";
import type { verdictNamed } from "../api/vocabulary";
import { Headline } from "../parts/Headline";

/** When, where and by which rule; the verdict in a sentence, and what was decided. */
export function Head({ report, look }: { report: Report | RegionReport; look: ReturnType<typeof verdictNamed> }) {
  const { reading } = report;
  return (
    <>
      <div className="quiet flex flex-wrap justify-between gap-x-4 text-sm">
        <span>
          {report.date_line} · {report.workspace}
          {report.area && `, ${report.area.toLowerCase()}`}
        </span>
        <span>{report.rule_line}</span>
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
        <p className="tone-warning mt-1">
          This differs from the rule, which says “{look.title.toLowerCase()}”: {report.decision_reason}
        </p>
      )}
    </>
  );
}

export function Facts({ facts }: { facts: Report["facts"] }) {
  return (
    <dl
      className={`mt-4 grid ${facts.length % 3 === 0 ? "grid-cols-3" : "grid-cols-2"} gap-6 border-y border-base-300 py-3 max-sm:grid-cols-1 max-sm:gap-3`}
    >
      {facts.map((fact) => (
        <div key={fact.label}>
          <dt className="quiet text-sm">{fact.label}</dt>
          <dd>
            <span className="block font-serif text-xl">{fact.value}</span>
            <span className="quiet text-sm">{fact.note}</span>
          </dd>
        </div>
      ))}
    </dl>
  );
}

export function Section({ title, children }: { title: string; children: string }) {
  return (
    <section>
      <h2 className="mb-0.5 text-[17px]">{title}</h2>
      <p className="whitespace-pre-line">{children}</p>
    </section>
  );
}
