import { Link } from "react-router";
import type { ReactNode } from "react";
import { useRegionReading, type RegionReading } from "../../api/regions";
import { Empty, Failure, Skeleton } from "../../parts/basics";
import { useEditing } from "../editing";

/** What a test by region shows, for the sheets that need it; before the start they say what comes first. */
export function Shown({ title, children }: { title: string; children: (shown: RegionReading) => ReactNode }) {
  const { experiment } = useEditing();
  const started = experiment.started_on !== null;
  const answer = useRegionReading(experiment.key, started);
  if (!started)
    return (
      <Empty title={title}>
        Draw the cells and make the calendar on{" "}
        <Link className="link" to={`/experiments/${experiment.key}/traffic`}>
          Traffic
        </Link>
        ; then the test can be started.
      </Empty>
    );
  if (answer.isPending) return <Skeleton rows={5} />;
  if (answer.isError) return <Failure error={answer.error} again={() => void answer.refetch()} />;
  return children(answer.data);
}
