import type { Funnel } from "../../api/client";
import { copiedLift, stripColumn } from "../../charts/stripColumn";
import { sharedAxis } from "../../lib/axis";
import { bounds, count, rate } from "../../lib/format";
import { useWidth } from "../../lib/useWidth";
import { Panel } from "../../parts/basics";
import { DataTable, type Column } from "../../parts/DataTable";
import { useEditing } from "../editing";
import { Figured } from "./DerivationCard";
import { LiftFigure } from "./LiftFigure";

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
      fold={`steps-${funnel.metric}`}
      line={funnel.sentence}
      title={`Step by step: ${funnel.metric_name}`}
      note="exploratory; each step of those who reached the one before"
    >
      <p className="mb-1 text-sm">{funnel.sentence}</p>
      <div ref={holder}>
        <DataTable
          label={`Steps of ${funnel.metric_name}`}
          rows={funnel.steps}
          rowKey={(step) => step.name}
          sortable={false}
          columns={[
            {
              name: "Step",
              align: "left",
              hideable: false,
              className: "font-semibold",
              value: (step) => step.name,
              cell: (step) => step.name,
            },
            ...["A", funnel.letter].map((letter, arm): Column<Step> => rateColumn(letter, arm, funnel, experiment.key)),
            stripColumn(axis, strip, (step: Step) =>
              step.lift
                ? {
                    lift: step.lift,
                    tone: step.tone,
                    worthwhile,
                    sentence: `${step.name}: ${step.lift.estimate_text} (${bounds(step.lift)})`,
                  }
                : null,
            ),
            {
              name: "Lift",
              className: "whitespace-nowrap",
              value: (step) => step.lift?.estimate,
              copied: copiedLift((step: Step) => step.lift),
              cell: (step) => (
                <LiftFigure
                  experiment={experiment.key}
                  lift={step.lift}
                  figure="lift"
                  variant={funnel.letter}
                  metric={funnel.metric}
                  step={step.name}
                  label={`Lift of ${funnel.letter} at ${step.name}`}
                />
              ),
            },
          ]}
        />
      </div>
    </Panel>
  );
}

type Step = Funnel["steps"][number];

function rateColumn(letter: string, arm: number, funnel: Funnel, experiment: string): Column<Step> {
  return {
    name: letter,
    className: "whitespace-nowrap",
    value: (step) => step.kept[arm],
    copied: [
      [`reached ${letter}`, (step) => step.reached[arm]],
      [`kept ${letter}`, (step) => step.kept[arm]],
    ],
    cell: (step) => (
      <>
        <Figured
          experiment={experiment}
          figure="level"
          variant={letter}
          metric={funnel.metric}
          step={step.name}
          label={`Rate of ${letter} at ${step.name}`}
        >
          {rate(step.kept[arm] ?? null, 1)}
        </Figured>
        <span className="quiet block text-xs">{count(step.reached[arm] ?? 0)}</span>
      </>
    ),
  };
}
