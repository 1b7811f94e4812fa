import { useState } from "react";
import type { Forecasts as Found } from "../../api/client";
import { useForecast, useForecasts, useSession } from "../../api/hooks";
import { percentText, signed } from "../../lib/format";
import { fromCanonical } from "../../lib/numbers";
import { NumberInput } from "../../parts/NumberInput";
import { FormError, Panel } from "../../parts/basics";
import { useEditing } from "../editing";

/** Everybody's guess of the lift, sealed until the decision. */
export function Forecasts() {
  const { experiment } = useEditing();
  const { data: session } = useSession();
  const { data } = useForecasts(experiment.key);
  if (!data) return null;
  const others = data.forecasts.filter((line) => !line.mine).map((line) => line.by);
  const mayGuess = data.open && (session?.account?.may_edit ?? false);
  if (!mayGuess && data.forecasts.length === 0) return null;
  return (
    <Panel
      fold="forecasts"
      title="Forecasts"
      note={data.sealed ? "a guess of the lift from each of you, sealed until the decision" : "opened at the decision"}
    >
      {mayGuess && <OwnForecast forecasts={data} />}
      {data.sealed ? (
        <p className="quiet mt-2 text-sm">
          {others.length > 0
            ? `Sealed: ${others.join(", ")}.`
            : "Nobody else has entered one yet. What is believed beforehand is half of what is learnt."}
        </p>
      ) : (
        <Opened forecasts={data} />
      )}
    </Panel>
  );
}

function OwnForecast({ forecasts }: { forecasts: Found }) {
  const { experiment } = useEditing();
  const mine = forecasts.forecasts.find((line) => line.mine);
  const change = useForecast(experiment.key);
  const [typed, setTyped] = useState<Partial<Record<"low" | "lift" | "high", string>>>({});
  const [own, setOwn] = useState("");
  const text = (part: "low" | "lift" | "high") => typed[part] ?? percentText(mine?.[part]);
  const submit = () => {
    const [low, lift, high] = (["low", "lift", "high"] as const).map((part) => fromCanonical(text(part)));
    if ([low, lift, high].some((value) => value === null || value === undefined || Number.isNaN(value))) {
      setOwn("Give all three as numbers, such as −2, 4 and 9");
      return;
    }
    setOwn("");
    change.mutate(
      { low: (low ?? 0) / 100, lift: (lift ?? 0) / 100, high: (high ?? 0) / 100, note: "" },
      { onSuccess: () => setTyped({}) },
    );
  };
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        submit();
      }}
    >
      <div className="flex flex-wrap items-center gap-2">
        <span>The lift will be</span>
        <Share label="Forecast of the lift" value={text("lift")} set={(lift) => setTyped({ ...typed, lift })} />
        <span>%, and I am fairly sure (4 of 5 times) that it lies between</span>
        <Share label="Lower end" value={text("low")} set={(low) => setTyped({ ...typed, low })} />
        <span>and</span>
        <Share label="Upper end" value={text("high")} set={(high) => setTyped({ ...typed, high })} />
        <span>%.</span>
        <button className="btn btn-sm" disabled={change.isPending}>
          {mine ? "Change" : "Seal"}
        </button>
        {mine && (
          <button type="button" className="btn btn-sm" onClick={() => change.mutate(null)}>
            Withdraw
          </button>
        )}
      </div>
      {own && (
        <p role="alert" className="mt-1 text-sm text-error">
          {own}
        </p>
      )}
      <FormError error={change.error} />
    </form>
  );
}

function Share({ label, value, set }: { label: string; value: string; set: (value: string) => void }) {
  return <NumberInput className="input-sm w-16" aria-label={label} value={value} change={set} />;
}

function Opened({ forecasts }: { forecasts: Found }) {
  const { outcome } = forecasts;
  return (
    <ul>
      {forecasts.forecasts.map((line) => {
        const within =
          outcome !== null && line.low !== null && line.high !== null && line.low <= outcome && outcome <= line.high;
        return (
          <li key={line.by} className="flex gap-3 border-b border-base-300 py-1 last:border-b-0">
            <span className="w-40">{line.by}</span>
            <span className="w-20 text-right font-semibold">{signed(line.lift)}</span>
            <span className="quiet w-40 text-right">
              {signed(line.low)} to {signed(line.high)}
            </span>
            {outcome !== null && (
              <span className={within ? "tone-ahead" : "quiet"}>{within ? "held it" : "missed it"}</span>
            )}
          </li>
        );
      })}
      {outcome !== null && (
        <li className="flex gap-3 py-1">
          <span className="w-40 font-semibold">What was seen</span>
          <span className="w-20 text-right font-semibold">{signed(outcome)}</span>
        </li>
      )}
    </ul>
  );
}
