import { useState } from "react";
import { Problem } from "../../api/client";
import {
  useBringPast,
  useCancelPlacebo,
  usePlacebo,
  useStartPlacebo,
  type Placebo,
  type RegionDesign,
  type RegionPast,
} from "../../api/regions";
import { DesignsPicture, PlaceboPicture } from "../../charts/onDemand";
import { count, day, plural } from "../../lib/format";
import { DataTable, type Column } from "../../parts/DataTable";
import { FormError, Panel } from "../../parts/basics";
import { FilePicker } from "../../parts/FilePicker";
import { NumberField } from "../../parts/fields";
import { Running } from "../../parts/Running";
import { Term } from "../../parts/Term";
import { WrongLines } from "../../parts/WrongLines";
import { useEditing } from "../editing";
import { RegionPlanning, useRegions } from "./planning";
import { PairsPanel } from "./PairsPanel";
import { money, share } from "./words";

/** Past data in; pairs, designs to choose from, and what the chosen one would have done in the past. */
export function RegionSizing() {
  return (
    <RegionPlanning>
      <PastPanel />
      <PairsPanel />
      <DesignsPanel />
      <PlaceboPanel />
    </RegionPlanning>
  );
}

const KINDS = { gap: "gaps", nothing: "nothing at all", outlier: "outliers", shift: "level shifts" } as const;

function PastPanel() {
  const { experiment } = useEditing();
  const { plan, open } = useRegions();
  const bring = useBringPast(experiment.key);
  const [missingIsZero, setMissingIsZero] = useState(false);
  const past = plan.past;
  const wrong = bring.error instanceof Problem ? bring.error : null;
  return (
    <Panel
      title="Past data"
      note={
        past
          ? `${plural(past.regions, "region")}, ${day(past.first)} to ${day(past.last)}, from “${past.file}”`
          : "a row a region and day, two years of them if there are"
      }
    >
      {open && (
        <>
          <p className="quiet mb-2 text-sm">
            CSV or Parquet with the columns region, day, spend and one for each outcome, in any order; product_group if
            it is kept. A file replaces what was there.
          </p>
          <FilePicker
            label="File of past data"
            button={past ? "Choose another file" : "Choose a file"}
            accept=".csv,.tsv,.txt,.parquet"
            busy={bring.isPending}
            pick={(file) => bring.mutate({ file, missingIsZero, mark: "" })}
          />
          <label className="mt-2 flex items-center gap-2 text-sm">
            <input
              type="checkbox"
              className="checkbox checkbox-sm"
              checked={missingIsZero}
              onChange={(event) => setMissingIsZero(event.target.checked)}
            />
            A day without a row means that nothing was sold and nothing spent
          </label>
          {wrong && wrong.wrong.length > 0 ? (
            <WrongLines
              wrong={wrong.wrongCount}
              lines={wrong.wrong.map((line) => ({
                where: `line ${line.line}, ${line.column} “${line.value}”`,
                reason: line.reason,
              }))}
              consequence="nothing of the file was kept"
            />
          ) : (
            <FormError error={bring.error} />
          )}
        </>
      )}
      {past && <Findings past={past} />}
    </Panel>
  );
}

function Findings({ past }: { past: RegionPast }) {
  const [shown, setShown] = useState(false);
  const said = Object.entries(past.counts).map(([kind, number]) => `${KINDS[kind as keyof typeof KINDS]} ${number}`);
  return (
    <div className="mt-2 text-sm">
      <p>
        {count(past.rows)} rows, {plural(past.days, "day")}; outcomes{" "}
        {past.outcomes.map((name) => name.replaceAll("_", " ")).join(", ")}.
        {past.left_out.length > 0 &&
          ` ${plural(past.left_out.length, "region")} cannot be in a pair: ${past.left_out.slice(0, 6).join(", ")}${past.left_out.length > 6 ? " …" : ""}.`}
        {past.ignored.length > 0 && ` Not read: ${past.ignored.join(", ")}.`}
      </p>
      {past.findings.length === 0 ? (
        <p className="quiet">No gaps, outliers or level shifts.</p>
      ) : (
        <>
          <button className="link" aria-expanded={shown} onClick={() => setShown(!shown)}>
            What is odd: {said.join(", ")}
          </button>
          {shown && (
            <DataTable
              label="What is odd in the past data"
              rows={past.findings}
              rowKey={(row) => `${row.kind}-${row.region}-${row.day}-${row.outcome}`}
              maxHeight="16rem"
              columns={[
                { name: "Region", align: "left", cell: (row) => row.region, value: (row) => row.region },
                { name: "Day", align: "left", cell: (row) => day(row.day), value: (row) => row.day },
                {
                  name: "What",
                  align: "left",
                  cell: (row) => KIND_WORDS[row.kind](row.days),
                  value: (row) => row.kind,
                },
                {
                  name: "Outcome",
                  align: "left",
                  cell: (row) => row.outcome.replaceAll("_", " "),
                  value: (row) => row.outcome,
                },
                {
                  name: "Beyond what was expected",
                  cell: (row) => (row.outcome ? signedShare(row.size) : ""),
                  value: (row) => row.size,
                  align: "right",
                },
              ]}
              below={
                <span className="quiet">
                  Regions with gaps are left out. Outliers and level shifts stay in: placebo tests have them too.
                </span>
              }
            />
          )}
        </>
      )}
    </div>
  );
}

const KIND_WORDS = {
  gap: (days: number) => `no row for ${plural(days, "day")}`,
  nothing: () => "0 on every day",
  outlier: () => "outlier",
  shift: () => "level shift from here on",
} as const;

function signedShare(value: number): string {
  const percent = Math.round(value * 100);
  return `${percent > 0 ? "+" : percent < 0 ? "−" : ""}${Math.abs(percent)}%`;
}

function DesignsPanel() {
  const { plan, save, errorFor, open, saving } = useRegions();
  const [taken, setTaken] = useState<RegionDesign | null>(null);
  const [asked, setAsked] = useState<number | null>(null);
  if (!plan.past) return null;
  const lengths = [...new Set(plan.designs.map((one) => one.weeks))];
  const wanted = asked ?? plan.weeks ?? 4;
  const weeks = lengths.includes(wanted) ? wanted : (lengths[0] ?? 0);
  const columns: Column<RegionDesign>[] = [
    {
      name: "Choose",
      sortable: false,
      hideable: false,
      cell: (row) => (
        <input
          type="radio"
          name="design"
          className="radio radio-sm radio-primary"
          aria-label={`${row.pairs} pairs, ${plural(row.weeks, "week")}`}
          checked={saving ? row === taken : row.pairs === plan.pairs && row.weeks === plan.weeks}
          disabled={!open}
          onChange={() => {
            setTaken(row);
            save({ pairs: row.pairs, weeks: row.weeks });
          }}
        />
      ),
    },
    { name: "Pairs", cell: (row) => row.pairs, value: (row) => row.pairs, align: "right" },
    {
      name: plan.lower === null ? "Outcome withheld" : "Outcome changed",
      cell: (row) => share(row.outcome_share),
      value: (row) => row.outcome_share,
      align: "right",
    },
    {
      name: plan.lower === null ? "Spend withheld" : "Spend changed",
      cell: (row) => share(row.spend_share),
      value: (row) => row.spend_share,
      align: "right",
    },
    {
      name: plan.lower === null ? "In all" : "Spent less",
      cell: (row) => <Money value={row.spend} />,
      value: (row) => row.spend,
      align: "right",
    },
    { name: "Moved alike", cell: (row) => row.fit.toFixed(2), value: (row) => row.fit, align: "right" },
    {
      name: "Smallest lift",
      cell: (row) => share(row.smallest_lift),
      value: (row) => row.smallest_lift,
      align: "right",
    },
    {
      name: "Smallest return",
      cell: (row) => (
        <span className={enough(row, plan.break_even) ? "font-semibold" : ""}>
          {row.smallest_return === null ? "none" : row.smallest_return.toFixed(2)}
        </span>
      ),
      value: (row) => row.smallest_return,
      align: "right",
    },
    {
      name: "Cost",
      cell: (row) => (plan.break_even ? <Money value={row.cost} /> : "…"),
      value: (row) => row.cost,
      align: "right",
    },
  ];
  return (
    <Panel
      title="Designs"
      note={`what they ${plan.lower === null ? "withhold" : "change"}, and the smallest effect they show ${share(plan.power)} of the time`}
    >
      {plan.problem ? (
        <p role="alert" className="text-error">
          {plan.problem}
        </p>
      ) : (
        <>
          <DesignsPicture designs={plan.designs} chosen={plan} breakEven={plan.break_even} />
          <div className="mt-1 flex items-center gap-2 text-sm">
            <span className="quiet">Weeks</span>
            <span className="join" role="group" aria-label="Weeks">
              {lengths.map((length) => (
                <button
                  key={length}
                  className={`btn btn-xs join-item ${length === weeks ? "btn-primary" : ""}`}
                  aria-pressed={length === weeks}
                  onClick={() => setAsked(length)}
                >
                  {length}
                </button>
              ))}
            </span>
          </div>
          <DataTable
            label={`Designs of ${plural(weeks, "week")}`}
            rows={plan.designs.filter((one) => one.weeks === weeks)}
            columns={columns}
            rowKey={(row) => `${row.pairs}-${row.weeks}`}
            rowClass={(row) => (row.pairs === plan.pairs && row.weeks === plan.weeks ? "bg-base-200" : "")}
            below={
              <span className="quiet">
                “Moved alike” is the correlation of both groups’ weekly changes. “Smallest return” is what a unit of
                spend must bring to be seen{plan.break_even ? `; it should lie under ${plan.break_even}` : ""}. “Cost”
                is the outcome lost if the spending just pays.
                {plan.lower !== null &&
                  " Half of the pairs go down, half up; effect and return are those of each half."}
              </span>
            }
          />
        </>
      )}
      <NumberField
        label="Weeks of cool-down after it"
        term="Cool-down"
        value={plan.cool_down}
        whole
        save={(weeks) => save({ cool_down: weeks ?? 0 })}
        unit="weeks"
        error={errorFor("cool_down")}
        locked={!open}
      />
      <NumberField
        label="Power"
        term="Power"
        value={plan.power}
        percent
        save={(power) => save({ power: power ?? 0 })}
        error={errorFor("power")}
        locked={!open}
      />
      <NumberField
        label="Confidence"
        term="Confidence"
        value={plan.confidence}
        percent
        save={(confidence) => save({ confidence: confidence ?? 0 })}
        error={errorFor("confidence")}
        locked={!open}
      />
    </Panel>
  );
}

function Money({ value }: { value: number }) {
  const { plan } = useRegions();
  return <span className="whitespace-nowrap">{money(value, plan.currency)}</span>;
}

function enough(design: RegionDesign, breakEven: number | null): boolean {
  return design.smallest_return !== null && breakEven !== null && design.smallest_return <= breakEven;
}

function PlaceboPanel() {
  const { experiment } = useEditing();
  const { plan, mayPlan } = useRegions();
  const latest = usePlacebo(experiment.key);
  const start = useStartPlacebo(experiment.key);
  const cancel = useCancelPlacebo(experiment.key);
  const placebo = latest.data?.placebo ?? null;
  const running = placebo?.state === "running";
  if (!plan.past) return null;
  return (
    <Panel
      title={
        <>
          Tried on the past <Term name="Placebo test">(placebo test)</Term>
        </>
      }
      note="the chosen design in every past window, drawn again and again"
      action={
        mayPlan &&
        plan.pairs !== null && (
          <button
            className="btn btn-sm btn-primary"
            disabled={running || start.isPending}
            onClick={() => start.mutate(20)}
          >
            {placebo?.state === "done" && !placebo.stale ? "Try again" : "Try it"}
          </button>
        )
      }
    >
      {running && (
        <Running
          label="Placebo test"
          progress={placebo.progress}
          cancel={mayPlan ? () => cancel.mutate(placebo.id) : null}
        />
      )}
      <p className="quiet text-sm" role="status">
        {plan.pairs === null && "Choose a design above first."}
        {running && "It continues in the background."}
        {placebo?.state === "cancelled" && "Cancelled; no results were kept."}
        {placebo?.state === "failed" && placebo.problem}
        {!placebo && plan.pairs !== null && "It shows how often the design raises a false alarm, and what it finds."}
        {placebo?.state === "done" && placebo.stale && (
          <span className="tone-warning">The design has changed since; these results are of the earlier one.</span>
        )}
      </p>
      <FormError error={start.error ?? cancel.error} />
      {placebo?.state === "done" && <Found placebo={placebo} />}
    </Panel>
  );
}

function Found({ placebo }: { placebo: Placebo }) {
  const [none] = placebo.found;
  if (!none || !placebo.held) return null;
  return (
    <>
      <p className="my-2 font-serif text-lg leading-snug">
        With nothing changed it raised a false alarm in {rate(none.share, none.error)} of the draws.{" "}
        {placebo.smallest === null
          ? `None of the effects tried was shown ${share(placebo.power)} of the time.`
          : `An effect of ${share(placebo.smallest)} is shown ${share(placebo.power)} of the time.`}
      </p>
      <PlaceboPicture placebo={placebo} />
      <DataTable
        label="What the placebo test found"
        rows={placebo.found}
        rowKey={(row) => row.lift}
        maxHeight="14rem"
        columns={[
          {
            name: "Effect added",
            cell: (row) => (row.lift === 0 ? "none (false alarms)" : `−${share(row.lift)}`),
            value: (row) => row.lift,
          },
          { name: "Shown", cell: (row) => share(row.share), value: (row) => row.share, align: "right" },
          {
            name: "Monte Carlo error",
            cell: (row) => `± ${(row.error * 100).toFixed(1)}`,
            value: (row) => row.error,
            align: "right",
          },
        ]}
        below={
          <span className="quiet">
            {plural(placebo.windows, "window")}, {placebo.draws} draws in each; intervals held what was added in{" "}
            {rate(placebo.held.share, placebo.held.error)} of them.
          </span>
        }
      />
    </>
  );
}

function rate(value: number, error: number): string {
  return `${(value * 100).toFixed(1)} ± ${(error * 100).toFixed(1)}%`;
}
