import type { Funnel } from "../../api/client";
import { IntervalStrip, StripAxis } from "../../charts/IntervalStrip";
import { sharedAxis } from "../../lib/axis";
import { bounds, count, rate } from "../../lib/format";
import { tableText } from "../../lib/tableText";
import { useWidth } from "../../lib/useWidth";
import { Panel } from "../../parts/basics";
import { CopyTable } from "../../parts/CopyTable";
import { useEditing } from "../editing";
import { Figured } from "./Working";

/** A funnel step by step: how many of those at the step before went on, in control and the variant. */
export function Funnels({ funnels, worthwhile }: { funnels: Funnel[]; worthwhile: number }) {
  return funnels.map((funnel) => <Steps key={funnel.metric} funnel={funnel} worthwhile={worthwhile} />);
}

function Steps({ funnel, worthwhile }: { funnel: Funnel; worthwhile: number }) {
  const { experiment } = useEditing();
  const [holder, width] = useWidth(640);
  const strip = width < 640 ? 100 : 170;
  const axis = sharedAxis(
    funnel.steps.map((step) => step.lift),
    worthwhile,
    3,
  );
  return (
    <Panel
      title={`Step by step: ${funnel.metric_name}`}
      note="exploratory; each step of those who reached the one before"
      action={
        <CopyTable
          text={tableText(
            ["step", "reached A", `reached ${funnel.letter}`, "kept A", `kept ${funnel.letter}`, "lift", "low", "high"],
            funnel.steps.map((step) =>
              [step.name, ...step.reached, ...step.kept, step.lift?.estimate, step.lift?.low, step.lift?.high].map(
                (cell) => cell ?? "",
              ),
            ),
          )}
        />
      }
    >
      <p className="mb-1 text-sm">{funnel.sentence}</p>
      <div ref={holder} className="overflow-x-auto" tabIndex={0} aria-label={`Steps of ${funnel.metric_name}`}>
        <table className="w-full text-right text-sm">
          <thead className="quiet text-xs">
            <tr className="border-b border-base-300">
              <th className="py-1 text-left font-normal">Step</th>
              <th className="pl-2 font-normal">A</th>
              <th className="pl-2 font-normal">{funnel.letter}</th>
              <th className="pl-2 font-normal" style={{ width: strip }}>
                <StripAxis axis={axis} width={strip} />
                <span className="sr-only">Lift, drawn</span>
              </th>
              <th className="pl-2 font-normal">Lift</th>
            </tr>
          </thead>
          <tbody>
            {funnel.steps.map((step) => (
              <tr key={step.name} className="border-b border-base-300 last:border-b-0">
                <td className="py-1.5 text-left font-semibold">{step.name}</td>
                {step.kept.map((kept, arm) => (
                  <td key={arm} className="pl-2 whitespace-nowrap">
                    <Figured
                      experiment={experiment.key}
                      figure="level"
                      variant={arm ? funnel.letter : "A"}
                      metric={funnel.metric}
                      step={step.name}
                      label={`Rate of ${arm ? funnel.letter : "A"} at ${step.name}`}
                    >
                      {rate(kept, 1)}
                    </Figured>
                    <span className="quiet block text-xs">{count(step.reached[arm] ?? 0)}</span>
                  </td>
                ))}
                <td className="pl-2">
                  {step.lift && (
                    <IntervalStrip
                      lift={step.lift}
                      tone={step.tone}
                      worthwhile={worthwhile}
                      axis={axis}
                      width={strip}
                      sentence={`${step.name}: ${step.lift.estimate_text} (${bounds(step.lift)})`}
                    />
                  )}
                </td>
                <td className="pl-2 whitespace-nowrap">
                  {step.lift ? (
                    <Figured
                      experiment={experiment.key}
                      figure="lift"
                      variant={funnel.letter}
                      metric={funnel.metric}
                      step={step.name}
                      label={`Lift of ${funnel.letter} at ${step.name}`}
                    >
                      {step.lift.estimate_text}
                    </Figured>
                  ) : (
                    "–"
                  )}
                  <span className="quiet block text-xs">{step.lift ? bounds(step.lift) : ""}</span>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </Panel>
  );
}
