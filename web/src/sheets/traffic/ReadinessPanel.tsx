import { Link } from "react-router";
import { useReadiness } from "../../api/running";
import { SHEET_TITLES, type SheetName } from "../../lib/words";
import { Failure, Panel, Skeleton } from "../../parts/basics";
import { useEditing } from "../editing";

/** What must be true before the start, against what has been seen, each with its fix. */
export function ReadinessPanel() {
  const { experiment } = useEditing();
  const readiness = useReadiness(experiment.key);
  if (readiness.isPending) return <Skeleton rows={3} />;
  if (readiness.isError) return <Failure error={readiness.error} again={() => void readiness.refetch()} />;
  const { points, ready } = readiness.data;
  const open = points.filter((point) => !point.met).length;
  return (
    <Panel title="Readiness" note={ready ? "everything is ready" : `${open} of ${points.length} still open`}>
      <ul>
        {points.map((point) => (
          <li key={point.label} className="flex gap-3 border-b border-base-300 py-1.5 last:border-b-0">
            <span aria-hidden className={point.met ? "tone-ahead" : "tone-warning"}>
              {point.met ? "✓" : "○"}
            </span>
            <span className="min-w-0 grow">
              <span className={point.met ? "" : "font-semibold"}>{point.label}</span>
              <span className="sr-only">{point.met ? ", met" : ", not met"}</span>
              {!point.met && (
                <span className="quiet block text-sm">
                  {point.fix}.{" "}
                  {point.sheet !== "traffic" && (
                    <Link className="link" to={`/experiments/${experiment.key}/${point.sheet}`}>
                      {SHEET_TITLES[point.sheet as SheetName]}
                    </Link>
                  )}
                </span>
              )}
            </span>
            <span className="quiet text-right text-sm">{point.seen}</span>
          </li>
        ))}
      </ul>
    </Panel>
  );
}
