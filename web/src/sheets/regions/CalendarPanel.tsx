import { useRef, useState, type KeyboardEvent } from "react";
import {
  useSetSpendingCalendar,
  useSpendingCalendar,
  type SpendingCalendar,
  type SpendingCalendarIn,
} from "../../api/regions";
import { day as dayText, weekday } from "../../lib/format";
import { numberText, readNumber } from "../../lib/numbers";
import { FormError, Panel, Skeleton, Failure } from "../../parts/basics";
import { TextField } from "../../parts/fields";
import { RadioCard } from "../../parts/RadioCard";
import { useEditing } from "../editing";
import { groupTitle, levelsOf, type Group } from "./groups";
import { useRegions } from "./planning";
import { amount } from "./words";
import { DayInput } from "../../parts/DayInput";

type Wanted = Omit<SpendingCalendarIn, "version">;
const PHASES = { test: "test", cool_down: "cool-down", after: "after it" } as const;
const AGAIN = [
  ["other", "Spent again elsewhere", "What is saved goes to regions that are not analysed."],
  ["after", "Spent again afterwards", "As many higher days after the cool-down as lower ones before."],
  ["no", "Not spent again", "What is saved stays saved."],
] as const;
const EVENED = [
  [
    "other",
    "Evened out elsewhere",
    "What is saved in all goes to regions that are not analysed, or what is added comes from them.",
  ],
  ["after", "Evened out afterwards", "On as many days after the cool-down as it was changed on."],
  ["no", "Not evened out", "The sum differs from the budget by what is saved or added."],
] as const;
const DAYS = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"];

/** What is spent on each day in each group. */
export function CalendarPanel() {
  const { experiment } = useEditing();
  const latest = useSpendingCalendar(experiment.key);
  if (latest.isPending) return <Skeleton rows={2} />;
  if (latest.isError) return <Failure error={latest.error} again={() => void latest.refetch()} />;
  const calendar = latest.data.calendar;
  return calendar ? <Made calendar={calendar} /> : <Make />;
}

function Make() {
  const { experiment } = useEditing();
  const { plan, mayPlan } = useRegions();
  const set = useSetSpendingCalendar(experiment.key);
  const [start, setStart] = useState("");
  return (
    <Panel title="Spending calendar" note="what is spent on each day in each group; not made yet">
      <p className="mb-2">
        It begins with what each group usually spends on each weekday.{" "}
        {plan.lower === null
          ? "Nothing is spent where it is withheld; what is saved may be spent again."
          : "Less and more is spent than usual in two of them; what is saved in all may be spent again, or what is spent in addition saved."}
      </p>
      {mayPlan && (
        <form
          className="flex items-end gap-3"
          onSubmit={(event) => {
            event.preventDefault();
            const again = (plan.cells?.not_analysed.length ?? 0) > 0 ? "other" : "after";
            set.mutate({ version: plan.version, start, budget: null, again, edits: [], reason: "" });
          }}
        >
          <label className="text-sm">
            <span className="quiet block">
              {plan.lower === null ? "First day without spending" : "First day of the test"}
            </span>
            <DayInput label="The first day" required value={start} change={setStart} />
          </label>
          <button className="btn btn-sm btn-primary" disabled={set.isPending}>
            Make the calendar
          </button>
        </form>
      )}
      <FormError error={set.error} />
    </Panel>
  );
}

function Made({ calendar }: { calendar: SpendingCalendar }) {
  const { experiment } = useEditing();
  const { plan, mayPlan } = useRegions();
  const set = useSetSpendingCalendar(experiment.key);
  const past = useRef<Wanted[]>([]);
  const [depth, setDepth] = useState(0);
  const [asShares, setAsShares] = useState(false);
  const now: Wanted = {
    start: calendar.start,
    budget: calendar.own_budget ? calendar.budget : null,
    again: calendar.again,
    reason: calendar.reason,
    edits: calendar.days.flatMap((one) =>
      one.edited.map((group) => ({ day: one.day, group, cents: one.planned[calendar.groups.indexOf(group)] ?? 0 })),
    ),
  };
  const send = (wanted: Wanted, undoing = false) =>
    set.mutate(
      { version: calendar.version, ...wanted },
      {
        onSuccess: () => {
          if (!undoing) past.current.push(now);
          setDepth(past.current.length);
        },
      },
    );
  const change = (part: Partial<Wanted>) => send({ ...now, ...part });
  const edit = (day: string, group: Group, cents: number | null) => {
    const others = now.edits?.filter((one) => one.day !== day || one.group !== group) ?? [];
    change({ edits: cents === null ? others : [...others, { day, group, cents }] });
  };
  return (
    <Panel
      title="Spending calendar"
      note={`from ${dayText(calendar.start)} on, ${calendar.days.length} days`}
      action={
        mayPlan &&
        depth > 0 && (
          <button
            className="link text-sm"
            disabled={set.isPending}
            onClick={() => {
              const before = past.current.pop();
              if (before) send(before, true);
            }}
          >
            Undo
          </button>
        )
      }
    >
      <div className="mb-3 grid grid-cols-3 gap-2 max-lg:grid-cols-1">
        {(plan.lower === null ? AGAIN : EVENED).map(([name, title, description]) => (
          <RadioCard
            key={name}
            group="again"
            name={title}
            description={description}
            chosen={calendar.again === name}
            disabled={!mayPlan || (name === "other" && plan.cells?.not_analysed.length === 0)}
            choose={() => change({ again: name })}
          />
        ))}
      </div>
      <Sums calendar={calendar} currency={plan.currency} />
      <FormError error={set.error} />
      {calendar.beyond && (
        <TextField
          label="Why it differs from the budget by more than is tolerated"
          value={calendar.reason}
          save={(reason) => change({ reason })}
          locked={!mayPlan}
        />
      )}
      <div className="mt-2 mb-1 flex flex-wrap items-center gap-2 text-sm">
        <span className="join" role="group" aria-label="Shown as">
          {[false, true].map((shares) => (
            <button
              key={String(shares)}
              className={`btn btn-xs join-item ${shares === asShares ? "btn-primary" : ""}`}
              aria-pressed={shares === asShares}
              onClick={() => setAsShares(shares)}
            >
              {shares ? "% of usual" : plan.currency}
            </button>
          ))}
        </span>
        {(["csv", "ics"] as const).map((form) => (
          <a
            key={form}
            className="btn btn-xs"
            href={`/api/v1/experiments/${experiment.key}/regions/calendar.${form}`}
            download
            aria-disabled={calendar.beyond && !calendar.reason}
          >
            {form === "csv" ? "CSV" : "iCalendar"}
          </a>
        ))}
        <span className="quiet">
          Arrow keys go from day to day; Escape leaves a day as it was, an empty one as planned.
        </span>
      </div>
      <Grid calendar={calendar} asShares={asShares} edit={mayPlan ? edit : null} />
    </Panel>
  );
}

function Sums({ calendar, currency }: { calendar: SpendingCalendar; currency: string }) {
  return (
    <dl className="flex flex-wrap gap-x-8 gap-y-1 text-sm" aria-live="polite">
      <Sum label="Sum" value={`${amount(calendar.total)} ${currency}`} />
      <Sum
        label={calendar.own_budget ? "Budget" : "Budget, as usual"}
        value={`${amount(calendar.budget)} ${currency}`}
      />
      <Sum
        label={`Difference (${Math.round(calendar.tolerance * 100)}% tolerated)`}
        value={`${calendar.difference > 0 ? "+" : calendar.difference < 0 ? "−" : ""}${amount(Math.abs(calendar.difference))} ${currency}`}
        warn={calendar.beyond}
      />
      <div>
        <dt className="quiet">Days with more and with less than usual</dt>
        <dd>
          {calendar.balance.map((one, index) => (
            <span key={DAYS[index]} className="mr-3 whitespace-nowrap">
              {DAYS[index]} {one.more}/{one.less}
            </span>
          ))}
        </dd>
      </div>
    </dl>
  );
}

function Sum({ label, value, warn = false }: { label: string; value: string; warn?: boolean }) {
  return (
    <div>
      <dt className="quiet">{label}</dt>
      <dd className={`font-semibold whitespace-nowrap ${warn ? "tone-warning" : ""}`}>{value}</dd>
    </div>
  );
}

interface GridProps {
  calendar: SpendingCalendar;
  asShares: boolean;
  edit: ((day: string, group: Group, cents: number | null) => void) | null;
}

/** A row a day. What is compared with stays as planned while the test runs, so only the other amounts are fields. */
function Grid({ calendar, asShares, edit }: GridProps) {
  const { plan } = useRegions();
  const levels = levelsOf(plan);
  const groups = calendar.groups.map((name) => ({ name, title: groupTitle(name, levels) }));
  const table = useRef<HTMLTableElement>(null);
  const move = (event: KeyboardEvent<HTMLInputElement>) => {
    const step = { ArrowUp: -1, ArrowDown: 1 }[event.key];
    if (step === undefined) return;
    event.preventDefault();
    const { row, column } = event.currentTarget.dataset;
    const next = table.current?.querySelector<HTMLInputElement>(
      `input[data-row="${Number(row) + step}"][data-column="${column}"]`,
    );
    next?.focus();
    next?.select();
  };
  return (
    <div className="max-h-[26rem] overflow-auto" tabIndex={0} role="region" aria-label="Days of the spending calendar">
      <table className="w-full text-sm" ref={table}>
        <thead className="sticky top-0 bg-base-100">
          <tr className="quiet text-left">
            <th className="py-1 font-normal">Day</th>
            <th className="font-normal">Phase</th>
            {groups.map((group) => (
              <th key={group.name} className="text-right font-normal">
                {group.title}
              </th>
            ))}
            <th className="text-right font-normal">In all</th>
          </tr>
        </thead>
        <tbody>
          {calendar.days.map((one, row) => (
            <tr key={one.day} className="border-t border-base-300">
              <td className="whitespace-nowrap">
                {weekday(one.day).slice(0, 3)} {dayText(one.day)}
              </td>
              <td className="quiet">{PHASES[one.phase]}</td>
              {groups.map((group, column) => {
                const cents = one.planned[column] ?? 0;
                const usual = one.usual[column] ?? 0;
                const open =
                  edit !== null && (group.name !== "control" || one.phase === "after") && (usual > 0 || cents > 0);
                return (
                  <td key={group.name} className="text-right">
                    {open ? (
                      <Amount
                        key={`${cents}-${asShares}`}
                        label={`${group.title}, ${dayText(one.day)}`}
                        cents={cents}
                        usual={usual}
                        asShare={asShares && usual > 0}
                        own={one.edited.includes(group.name)}
                        place={[row, column]}
                        move={move}
                        save={(value) => edit(one.day, group.name, value)}
                      />
                    ) : (
                      shown(cents, usual, asShares)
                    )}
                  </td>
                );
              })}
              <td className="text-right">{amount(one.planned.reduce((sum, cents) => sum + cents, 0))}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

interface AmountProps {
  label: string;
  cents: number;
  usual: number;
  asShare: boolean;
  own: boolean;
  place: readonly [number, number];
  move: (event: KeyboardEvent<HTMLInputElement>) => void;
  save: (cents: number | null) => void;
}

function Amount({ label, cents, usual, asShare, own, place, move, save }: AmountProps) {
  const before = numberText(asShare ? Number(((cents / usual) * 100).toFixed(1)) : cents / 100);
  const [text, setText] = useState(before);
  const number = readNumber(text);
  const wrong = Number.isNaN(number) || (number !== null && number < 0);
  const commit = () => {
    if (text === before || wrong) return;
    save(number === null ? null : Math.round(asShare ? (number / 100) * usual : number * 100));
  };
  return (
    <>
      <input
        aria-label={label}
        aria-invalid={wrong}
        inputMode="decimal"
        data-row={place[0]}
        data-column={place[1]}
        className={`input input-xs w-24 text-right ${wrong ? "input-error" : ""} ${own ? "font-semibold" : ""}`}
        value={text}
        onChange={(event) => setText(event.target.value)}
        onBlur={commit}
        onKeyDown={(event) => {
          if (event.key === "Enter") commit();
          if (event.key === "Escape") setText(before);
          move(event);
        }}
      />
      {wrong && (
        <span role="alert" className="block text-xs text-error">
          {`${label} (${text}) must be a number, 0 or more`}
        </span>
      )}
    </>
  );
}

function shown(cents: number, usual: number, asShare: boolean): string {
  return asShare && usual > 0 ? `${Number(((cents / usual) * 100).toFixed(1))}%` : amount(cents);
}
