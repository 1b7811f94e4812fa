import { useState } from "react";
import { Link } from "react-router";
import { useDrawCells, useHandOver, useUndoDraw, type RegionPlan } from "../../api/regions";
import { day, plural } from "../../lib/format";
import { DataTable } from "../../parts/DataTable";
import { FormError, Panel } from "../../parts/basics";
import { Dialog } from "../../parts/Dialog";
import { NumberInput } from "../../parts/NumberInput";
import { fromCanonical } from "../../lib/numbers";
import { useEditing } from "../editing";
import { CalendarPanel } from "./CalendarPanel";
import { groupsOf, groupTitle, levelsOf, type Group } from "./groups";
import { RegionPlanning, useRegions } from "./planning";
import { TileMap } from "./TileMap";

/** Regions and spending: where it is withheld is drawn within each pair, and handed over as lists. */
export function RegionTraffic() {
  return (
    <RegionPlanning>
      <Cells />
    </RegionPlanning>
  );
}

function Cells() {
  const { experiment } = useEditing();
  const { plan } = useRegions();
  if (plan.pairs === null || plan.past === null)
    return (
      <Panel title="Regions and spending" note="nothing to draw yet">
        <p>
          Bring the past in and choose a design on{" "}
          <Link className="link" to={`/experiments/${experiment.key}/sizing`}>
            Sizing
          </Link>
          ; then chance decides here where spending is withheld.
        </p>
      </Panel>
    );
  return plan.cells === null ? <Draw plan={plan} /> : <Drawn plan={plan} cells={plan.cells} />;
}

function Draw({ plan }: { plan: RegionPlan }) {
  const { experiment } = useEditing();
  const { mayPlan } = useRegions();
  const draw = useDrawCells(experiment.key);
  const [seed, setSeed] = useState("");
  const [wrong, setWrong] = useState("");
  return (
    <Panel title="Regions and spending" note={`${plural(plan.pairs ?? 0, "pair")}, not drawn yet`}>
      <p className="mb-2">
        {plan.lower === null
          ? "Within each pair chance decides in which region spending is withheld; the other goes on as usual."
          : "Within each pair chance decides which region is changed, and of two pairs of like size which goes down and which up; the partners go on as usual."}{" "}
        The seed stands in the ledger, and draws the same again.
      </p>
      {mayPlan && (
        <form
          className="flex flex-wrap items-end gap-3"
          onSubmit={(event) => {
            event.preventDefault();
            const number = fromCanonical(seed);
            if (number !== null && !(Number.isInteger(number) && number >= 0)) {
              setWrong(`Seed (${seed}) must be a whole number, 0 or more`);
              return;
            }
            setWrong("");
            draw.mutate(number);
          }}
        >
          <label className="text-sm">
            <span className="quiet block">Seed, unless it is left to chance</span>
            <NumberInput className="input-sm w-36" value={seed} change={setSeed} />
          </label>
          <button className="btn btn-sm btn-primary" disabled={draw.isPending}>
            Draw
          </button>
        </form>
      )}
      {wrong && (
        <p role="alert" className="mt-1 text-error">
          {wrong}
        </p>
      )}
      <FormError error={draw.error} />
    </Panel>
  );
}

type Pair = NonNullable<RegionPlan["cells"]>["pairs"][number];

function Drawn({ plan, cells }: { plan: RegionPlan; cells: NonNullable<RegionPlan["cells"]> }) {
  const { experiment } = useEditing();
  const { mayPlan } = useRegions();
  const [undoing, setUndoing] = useState(false);
  const levels = levelsOf(plan);
  const sizes = (group: Group) =>
    group === "control"
      ? cells.pairs.length
      : group === "other"
        ? cells.not_analysed.length
        : cells.pairs.filter((pair) => pair.arm === group).length;
  const each = cells.pairs.length / Object.keys(levels).length;
  return (
    <>
      <Panel
        title="Regions and spending"
        note={`${plural(cells.pairs.length, "pair")}, drawn by seed ${cells.seed}`}
        action={
          mayPlan && (
            <button className="btn btn-sm" onClick={() => setUndoing(true)}>
              Undo the draw…
            </button>
          )
        }
      >
        <TileMap plan={plan} cells={cells} />
        <div className="mt-3 flex flex-wrap gap-2">
          {groupsOf(levels)
            .filter((group) => sizes(group) > 0)
            .map((group) => (
              <a
                key={group}
                className="btn btn-sm"
                href={`/api/v1/experiments/${experiment.key}/regions/lists/${group === "other" ? "not-analysed" : group}.csv`}
                download
              >
                {groupTitle(group, levels)}
                {plan.lower === null ? ` (${sizes(group)})` : `: ${sizes(group)}`}, CSV
              </a>
            ))}
        </div>
        <HandOver plan={plan} />
        <p className="quiet mt-2 text-sm">
          {!plan.desk_reference &&
            `Hand the first ${plan.lower === null ? "two" : "three"} lists over to whoever buys the advertising. `}
          {plan.lower === null
            ? `Nothing is spent in the first list for ${plural(plan.weeks ?? 0, "week")}, and in the second as much as without a test.`
            : `Less is spent in the first list for ${plural(plan.weeks ?? 0, "week")}, more in the second, and in the third as much as without a test.`}
          {(plan.least_pvalue ?? 0) > 0.001 &&
            ` With ${each} pairs p cannot fall below ${plan.least_pvalue?.toPrecision(2)}.`}
        </p>
      </Panel>
      <CalendarPanel />
      <Panel title="Pair by pair">
        <DataTable
          label="Cells"
          rows={cells.pairs}
          rowKey={(row) => row.treated}
          maxHeight="24rem"
          columns={[
            ...(plan.lower === null
              ? []
              : [
                  {
                    name: "Spent",
                    align: "left" as const,
                    cell: (row: Pair) => groupTitle(row.arm, levels),
                    value: (row: Pair) => row.arm,
                  },
                ]),
            {
              name: plan.lower === null ? "Withheld" : "Changed",
              align: "left",
              cell: (row) => row.treated,
              value: (row) => row.treated,
            },
            { name: "As usual", align: "left", cell: (row) => row.control, value: (row) => row.control },
          ]}
        />
      </Panel>
      {undoing && <Undo close={() => setUndoing(false)} />}
    </>
  );
}

/** To the advertising desk, where one is set up: once, after the start. */
function HandOver({ plan }: { plan: RegionPlan }) {
  const { experiment, mayAct } = useEditing();
  const hand = useHandOver(experiment.key);
  if (!plan.has_desk) return null;
  if (plan.desk_reference)
    return (
      <p className="mt-2 text-sm" role="status">
        The advertising desk has lists and calendar since {day(plan.handed_over_at ?? "")}, as {plan.desk_reference}.
      </p>
    );
  return (
    <>
      <div className="mt-3 flex flex-wrap items-center gap-3">
        <button
          className="btn btn-sm"
          disabled={!mayAct || plan.locked_at === null || hand.isPending}
          onClick={() => hand.mutate()}
        >
          Hand over to the advertising desk
        </button>
        {plan.locked_at === null && <span className="quiet text-sm">once the test has started</span>}
      </div>
      <FormError error={hand.error} />
    </>
  );
}

function Undo({ close }: { close: () => void }) {
  const { experiment } = useEditing();
  const undo = useUndoDraw(experiment.key);
  const [reason, setReason] = useState("");
  return (
    <Dialog title="Undo the draw" close={close}>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          undo.mutate(reason, { onSuccess: close });
        }}
      >
        <p className="mb-2">
          Cells that are drawn until they please are not drawn by chance. The ledger keeps these cells, and why they
          were given up.
        </p>
        <label className="block">
          <span className="quiet mb-1 block text-sm">Reason</span>
          <input
            className="input w-full"
            autoFocus
            maxLength={500}
            value={reason}
            onChange={(event) => setReason(event.target.value)}
          />
        </label>
        <FormError error={undo.error} />
        <div className="mt-4 flex justify-end gap-2">
          <button type="button" className="btn btn-sm" onClick={close}>
            Cancel
          </button>
          <button className="btn btn-sm btn-primary" disabled={undo.isPending}>
            Undo the draw
          </button>
        </div>
      </form>
    </Dialog>
  );
}
