import { useState } from "react";
import type { Allocation, EpochShown } from "../../api/client";
import { useAllocation, useEpochRecord, useReallocate, type Reallocation } from "../../api/allocation";
import { useZone } from "../../api/hooks";
import { SharesPicture } from "../../charts/SharesPicture";
import { count, moment, rate } from "../../lib/format";
import { fromCanonical } from "../../lib/numbers";
import { NumberInput } from "../../parts/NumberInput";
import { DataTable, type Column } from "../../parts/DataTable";
import { Failure, FormError, Panel, Skeleton, errorOf } from "../../parts/basics";
import { Dialog } from "../../parts/Dialog";
import { useEditing } from "../editing";

/** The shares over time with their reasons, and the ways to take them in hand. */
export function SharesPanel() {
  const { experiment, mayEdit } = useEditing();
  const running = experiment.state === "running";
  const zone = useZone();
  const query = useAllocation(experiment.key, running);
  const segments = query.data ? segmentsOf(query.data) : [];
  const [chosen, setChosen] = useState<string | null>(null);
  if (query.isPending) return <Skeleton rows={3} />;
  if (query.isError) return <Failure error={query.error} again={() => void query.refetch()} />;
  const allocation = query.data;
  const when = (iso: string) => moment(iso, zone);
  const segment = chosen !== null && segments.includes(chosen) ? chosen : (segments[0] ?? "");
  const latest = allocation.epochs[allocation.epochs.length - 1];
  return (
    <Panel
      title="Shares over time"
      note={
        <>
          {allocation.sentence}
          {allocation.next_close && ` This epoch ends ${when(allocation.next_close)}.`}
        </>
      }
      action={
        segments.length > 1 && (
          <select
            className="select select-xs"
            aria-label="Segment"
            value={segment}
            onChange={(event) => setChosen(event.target.value)}
          >
            {segments.map((name) => (
              <option key={name} value={name}>
                {name || "everybody else"}
              </option>
            ))}
          </select>
        )
      }
    >
      {latest ? (
        <>
          <SharesPicture
            points={allocation.epochs.map((epoch) => ({
              number: epoch.number,
              from: epoch.started_at,
              until: epoch.ended_at,
              shares: sharesIn(epoch, segment, allocation.letters.length),
              text: reasonOf(epoch, segment),
              byHand: epoch.origin === "hand" || epoch.reason !== "",
            }))}
            letters={allocation.letters}
            now={new Date().toISOString()}
            label={`Shares by epoch${segment ? `, ${segment}` : ""}: now ${allocation.letters
              .map(
                (letter, arm) => `${letter} ${rate(sharesIn(latest, segment, allocation.letters.length)[arm] ?? 0, 0)}`,
              )
              .join(", ")}`}
            format={when}
          />
          {allocation.window_hours > 0 && (
            <p className="quiet text-sm">
              Units reallocate once their {allocation.window_hours} hours to count are over, so shares follow with that
              delay.
            </p>
          )}
          {running && mayEdit && <Hands allocation={allocation} latest={latest} />}
          <Epochs allocation={allocation} segment={segment} when={when} />
        </>
      ) : (
        <p className="quiet">The first epoch opens within a minute of the start.</p>
      )}
    </Panel>
  );
}

/** Segments that have shares of their own; "" for those who have not. */
export function segmentsOf(allocation: Allocation): string[] {
  const names = new Set(allocation.epochs.flatMap((epoch) => Object.keys(epoch.shares)));
  const own = [...names].filter((name) => name !== "").sort();
  return own.length ? own : [""];
}

export function sharesIn(epoch: EpochShown, segment: string, arms: number): number[] {
  return epoch.shares[segment] ?? epoch.shares[""] ?? Array.from({ length: arms }, () => 1 / arms);
}

function reasonOf(epoch: EpochShown, segment: string): string {
  return epoch.sentences[segment] ?? epoch.sentence;
}

type Asked = "freeze" | "follow" | "even" | "hand";
const ASKED: Record<Asked, { title: string; text: string; yes: string }> = {
  freeze: {
    title: "Freeze the shares?",
    text: "They stay as they are from epoch to epoch, until they follow the evidence again.",
    yes: "Freeze",
  },
  follow: {
    title: "Follow the evidence again?",
    text: "The policy sets the shares from the end of this epoch on.",
    yes: "Follow",
  },
  even: {
    title: "Return to even shares?",
    text: "This epoch ends now. Shares are even until they follow the evidence again.",
    yes: "Make them even",
  },
  hand: {
    title: "Set the shares by hand?",
    text: "This epoch ends now. The next has these shares, for everybody, until its end.",
    yes: "Save shares",
  },
};

function Hands({ allocation, latest }: { allocation: Allocation; latest: EpochShown }) {
  const { experiment } = useEditing();
  const reallocate = useReallocate(experiment.key);
  const [asked, setAsked] = useState<Asked | null>(null);
  const follows = allocation.mode === "follow";
  const offered: [Asked, string][] = [
    ...(follows ? [] : [["follow", "Follow the evidence again"] as [Asked, string]]),
    ...(allocation.mode === "frozen" ? [] : [["freeze", "Freeze"] as [Asked, string]]),
    ["hand", "Set by hand"],
    ...(allocation.mode === "even" ? [] : [["even", "Return to even"] as [Asked, string]]),
  ];
  return (
    <div className="mt-2 flex flex-wrap gap-2">
      {offered.map(([way, label]) => (
        <button
          key={way}
          className="btn btn-sm"
          onClick={() => {
            reallocate.reset();
            setAsked(way);
          }}
        >
          {label}
        </button>
      ))}
      {asked && (
        <Ask
          asked={asked}
          shares={sharesIn(latest, "", allocation.letters.length)}
          letters={allocation.letters}
          reallocate={reallocate}
          close={() => setAsked(null)}
        />
      )}
    </div>
  );
}

interface AskProps {
  asked: Asked;
  shares: number[];
  letters: string[];
  reallocate: ReturnType<typeof useReallocate>;
  close: () => void;
}

function Ask({ asked, shares, letters, reallocate, close }: AskProps) {
  const [reason, setReason] = useState("");
  const [typed, setTyped] = useState(() => wholePercents(shares).map(String));
  const numbers = typed.map((text) => fromCanonical(text) ?? NaN);
  const sum = numbers.reduce((a, b) => a + b, 0);
  const { title, text, yes } = ASKED[asked];
  const submit = () => {
    const wanted: Reallocation =
      asked === "hand" ? { way: "hand", shares: numbers.map((n) => n / 100), reason } : { way: asked, reason };
    reallocate.mutate(wanted, { onSuccess: close });
  };
  const wrong = errorOf(reallocate.error, "reason") ?? errorOf(reallocate.error, "shares");
  return (
    <Dialog title={title} close={close}>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          submit();
        }}
      >
        <p>{text} Only new visitors are affected.</p>
        {asked === "hand" && (
          <>
            <div className="mt-2 flex flex-wrap gap-3">
              {letters.map((letter, arm) => (
                <label key={letter} className="flex items-center gap-1">
                  {letter}
                  <NumberInput
                    className="input-sm w-20"
                    aria-label={`Share of ${letter}`}
                    value={typed[arm] ?? ""}
                    change={(text) => setTyped(typed.map((before, i) => (i === arm ? text : before)))}
                  />
                  %
                </label>
              ))}
            </div>
            <p role="status" className={`text-sm ${Math.abs(sum - 100) < 0.5 ? "quiet" : "text-error"}`}>
              {Number.isNaN(sum) ? "Each must be a number." : `They add up to ${Number(sum.toFixed(1))}%.`}
            </p>
          </>
        )}
        <label className="mt-3 block">
          <span className="quiet block text-sm">Why (kept in the ledger)</span>
          <input
            className="input w-full"
            value={reason}
            maxLength={300}
            onChange={(event) => setReason(event.target.value)}
          />
        </label>
        {wrong ? (
          <p role="alert" className="text-sm text-error">
            {wrong}
          </p>
        ) : (
          <FormError error={reallocate.error} />
        )}
        <div className="mt-4 flex justify-end gap-2">
          <button type="button" className="btn btn-sm" onClick={close}>
            Cancel
          </button>
          <button className="btn btn-sm btn-primary" disabled={reallocate.isPending}>
            {yes}
          </button>
        </div>
      </form>
    </Dialog>
  );
}

/** Whole percentages that add up to 100: the largest remainders are rounded up. */
export function wholePercents(shares: number[]): number[] {
  const floors = shares.map((share) => Math.floor(share * 100 + 1e-9));
  const missing = 100 - floors.reduce((a, b) => a + b, 0);
  const order = shares
    .map((share, place) => ({ place, rest: share * 100 - (floors[place] ?? 0) }))
    .sort((a, b) => b.rest - a.rest);
  const raised = new Set(order.slice(0, missing).map(({ place }) => place));
  return floors.map((floor, place) => floor + (raised.has(place) ? 1 : 0));
}

interface EpochsProps {
  allocation: Allocation;
  segment: string;
  when: (iso: string) => string;
}

function Epochs({ allocation, segment, when }: EpochsProps) {
  const { experiment } = useEditing();
  const [opened, setOpened] = useState<number | null>(null);
  const shares = (epoch: EpochShown) => sharesIn(epoch, segment, allocation.letters.length);
  const columns: Column<EpochShown>[] = [
    {
      name: "Epoch",
      align: "left",
      hideable: false,
      value: (epoch) => epoch.number,
      copied: [
        ["epoch", (epoch) => epoch.number],
        ["from", (epoch) => epoch.started_at],
        ["until", (epoch) => epoch.ended_at],
        ["set by", (epoch) => epoch.origin],
      ],
      cell: ({ number }) =>
        number > 1 ? (
          <button className="link" onClick={() => setOpened(number)}>
            {number}
          </button>
        ) : (
          number
        ),
    },
    { name: "From", align: "left", className: "whitespace-nowrap", cell: (epoch) => when(epoch.started_at) },
    ...allocation.letters.map((letter, arm): Column<EpochShown> => ({
      name: letter,
      value: (epoch) => shares(epoch)[arm],
      copied: [
        [`share ${letter}`, (epoch) => shares(epoch)[arm]],
        [`units ${letter}`, (epoch) => epoch.units[arm] ?? 0],
      ],
      cell: (epoch) => rate(shares(epoch)[arm] ?? null, 0),
    })),
    {
      name: experiment.unit_name,
      value: (epoch) => epoch.units.reduce((a, b) => a + b, 0),
      copied: [],
      cell: (epoch) => count(epoch.units.reduce((a, b) => a + b, 0)),
    },
    {
      name: "Why",
      align: "left",
      className: "text-sm",
      value: (epoch) => epoch.sentence,
      copied: [["why", (epoch) => epoch.sentence]],
      cell: (epoch) => reasonOf(epoch, segment),
    },
  ];
  return (
    <details className="mt-3">
      <summary className="cursor-pointer text-sm">All epochs</summary>
      <DataTable
        label="Epochs, the latest first"
        rows={[...allocation.epochs].reverse()}
        rowKey={(epoch) => epoch.number}
        columns={columns}
        maxHeight="24rem"
        below={
          <>
            {allocation.left_out > 0 && <span>{count(allocation.left_out)} earlier ones are in the file.</span>}
            <a className="link" href={`/api/v1/experiments/${experiment.key}/epochs.json`} download>
              Every record, as JSON
            </a>
          </>
        }
      />
      {opened !== null && <RecordOf number={opened} close={() => setOpened(null)} />}
    </details>
  );
}

/** All that an epoch's shares were worked out from, and whether the working gives them again. */
function RecordOf({ number, close }: { number: number; close: () => void }) {
  const { experiment } = useEditing();
  const query = useEpochRecord(experiment.key, number);
  return (
    <Dialog title={`Epoch ${number}: record of its shares`} close={close}>
      {query.isPending && <Skeleton rows={3} />}
      {query.isError && <Failure error={query.error} />}
      {query.data && (
        <>
          <p>
            {query.data.same
              ? "Computed again from this record: the same shares."
              : "Computed again from this record: other shares. The record has been changed."}
          </p>
          <pre
            className="mt-2 max-h-96 overflow-auto rounded-md bg-base-200 p-2 text-xs"
            tabIndex={0}
            aria-label={`Record of epoch ${number}`}
          >
            {JSON.stringify(query.data.record, null, 1)}
          </pre>
        </>
      )}
      <div className="mt-3 flex justify-end">
        <button className="btn btn-sm" onClick={close}>
          Close
        </button>
      </div>
    </Dialog>
  );
}
