import { useState } from "react";
import type { Docket } from "../api/client";
import { verdictNamed } from "../api/vocabulary";
import { DayField } from "../parts/fields";
import { STATES } from "../lib/words";
import { PARTS, SORTS, type Part } from "./filter";
import { Views } from "./Views";

interface Props {
  params: URLSearchParams;
  choices: Docket["choices"];
  change: (changes: Record<string, string>) => void;
  selecting: boolean;
  select?: (on: boolean) => void;
}

/** What of the docket is shown, and in which order. Those that are used less stand in a line of their own, open where one is set. */
export function Filters({ params, choices, change, selecting, select }: Props) {
  const said = (name: string) => params.get(name) ?? "";
  const set = PARTS.filter((part) => said(part));
  const [opened, setOpened] = useState<boolean>();
  const open = opened ?? set.length > 0;
  return (
    <div className="mb-1">
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1.5 text-sm">
        <input
          type="search"
          className="input input-sm w-56 max-w-full"
          aria-label="Search the docket"
          placeholder="Name, metric, area"
          value={said("search")}
          onChange={(event) => change({ search: event.target.value })}
        />
        <Tick label="Mine only" set={said("mine") === "yes"} choose={(on) => change({ mine: on ? "yes" : "" })} />
        <Tick label="Archive" set={said("archive") === "yes"} choose={(on) => change({ archive: on ? "yes" : "" })} />
        <button
          type="button"
          className="btn btn-xs"
          aria-expanded={open}
          aria-controls="docket-filters"
          onClick={() => setOpened(!open)}
        >
          {set.length > 0 ? `Filters: ${set.length}` : "Filters"}
        </button>
        <Views filters={params.toString()} />
        {select && (
          <button type="button" className="btn btn-xs" aria-pressed={selecting} onClick={() => select(!selecting)}>
            {selecting ? "End selecting" : "Select"}
          </button>
        )}
        <select
          className="select select-xs ml-auto w-auto max-sm:ml-0"
          aria-label="Sort by"
          value={said("sort") || "urgency"}
          onChange={(event) => change({ sort: event.target.value === "urgency" ? "" : event.target.value })}
        >
          {Object.entries(SORTS).map(([name, words]) => (
            <option key={name} value={name}>
              {words}
            </option>
          ))}
        </select>
      </div>
      <div
        id="docket-filters"
        hidden={!open}
        className={`mt-1.5 flex-wrap items-end gap-x-3 gap-y-1.5 text-sm ${open ? "flex" : ""}`}
      >
        {chosen(choices).map(({ part, label, options }) => (
          <label key={part} className="max-w-full">
            <span className="quiet block text-sm">{label}</span>
            <select
              className="select select-sm w-auto max-w-52"
              value={said(part)}
              onChange={(event) => change({ [part]: event.target.value })}
            >
              <option value="">all</option>
              {options.map(([value, words]) => (
                <option key={value} value={value}>
                  {words}
                </option>
              ))}
            </select>
          </label>
        ))}
        <DayField label="Changed since" value={said("since")} save={(since) => change({ since })} />
        {set.length > 0 && (
          <button
            type="button"
            className="btn btn-sm btn-ghost"
            onClick={() => change(Object.fromEntries(PARTS.map((part) => [part, ""])))}
          >
            Clear filters
          </button>
        )}
      </div>
    </div>
  );
}

function Tick({ label, set, choose }: { label: string; set: boolean; choose: (on: boolean) => void }) {
  return (
    <label className="flex min-h-6 items-center gap-1.5">
      <input
        type="checkbox"
        className="checkbox checkbox-xs"
        checked={set}
        onChange={(event) => choose(event.target.checked)}
      />
      {label}
    </label>
  );
}

function chosen(choices: Docket["choices"]): { part: Part; label: string; options: [string, string][] }[] {
  const states = STATES as Record<string, string>;
  return [
    { part: "area", label: "Area", options: choices.areas.map((area) => [area, area]) },
    { part: "owner", label: "Owner", options: choices.owners.map((one) => [one.username, one.display_name]) },
    { part: "metric", label: "Metric", options: choices.metrics.map((one) => [one.key, one.name]) },
    { part: "state", label: "State", options: choices.states.map((state) => [state, states[state] ?? state]) },
    { part: "verdict", label: "Verdict", options: choices.verdicts.map((name) => [name, verdictNamed(name).title]) },
  ];
}
