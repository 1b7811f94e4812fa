import { useQueryClient, type QueryClient, type QueryKey } from "@tanstack/react-query";
import { useCallback } from "react";
import type { ConditionGroup, CountsIn, Definition, SizeIn } from "./client";

/** Under which name each answer of the server is kept. */
export const keys = {
  session: ["session"] as const,
  docket: (filter?: object) => (filter ? (["docket", filter] as const) : (["docket"] as const)),
  docketOnDemand: ["docket", "on demand"] as const,
  owners: ["owners"] as const,
  search: (words: string) => ["search", words] as const,
  experiment: (key: string) => ["experiment", key] as const,
  evidence: (key: string) => ["evidence", key] as const,
  segmentEvidence: (key: string, asked?: object) =>
    asked ? (["evidence", key, "segments", asked] as const) : (["evidence", key, "segments"] as const),
  ledger: (key: string) => ["ledger", key] as const,
  report: (key: string) => ["report", key] as const,
  verdict: (counts: CountsIn | null) => ["scratchpad-verdict", counts] as const,
  metrics: (search?: string) => (search === undefined ? (["metrics"] as const) : (["metrics", search] as const)),
  metric: (key: string) => ["metric", key] as const,
  sample: ["sample-events"] as const,
  seenEvents: ["seen-events"] as const,
  metricPreview: (definition: Definition, events: string | null) => ["metric-preview", definition, events] as const,
  forecasts: (key: string) => ["forecasts", key] as const,
  rehearsal: (key: string) => ["rehearsal", key] as const,
  regions: (key: string) => ["regions", key] as const,
  regionReading: (key: string) => ["regions", key, "reading"] as const,
  regionDerivation: (key: string, asked: object) => ["regions", key, "derivation", asked] as const,
  spendingCalendar: (key: string) => ["spending-calendar", key] as const,
  placebo: (key: string) => ["placebo", key] as const,
  aaTest: (metric: string) => ["aa-test", metric] as const,
  allocation: (key: string) => ["allocation", key] as const,
  split: (key: string) => ["split", key] as const,
  epoch: (key: string, number: number) => ["allocation", key, number] as const,
  allocationRehearsal: (key: string) => ["allocation-rehearsal", key] as const,
  past: (key: string, metric: string) => ["past", key, metric] as const,
  live: (key: string) => ["live", key] as const,
  readiness: (key: string) => ["readiness", key] as const,
  notices: ["notices"] as const,
  me: ["me"] as const,
  accounts: ["accounts"] as const,
  account: (username: string) => ["accounts", username] as const,
  accountLog: ["account-log"] as const,
  workspace: ["workspace"] as const,
  webhooks: ["webhooks"] as const,
  deliveries: (number: number) => ["webhooks", number] as const,
  installation: ["installation"] as const,
  notes: (key: string) => ["notes", key] as const,
  audiences: ["audiences"] as const,
  readyAudiences: ["audiences", "ready-made"] as const,
  audienceSize: (groups: ConditionGroup[]) => ["audiences", "size", groups] as const,
  neverCounted: ["never-counted"] as const,
  machineKeys: ["machine-keys"] as const,
  forgotten: ["forgotten"] as const,
  lakes: ["lakes"] as const,
  retention: ["retention"] as const,
  snippets: (key: string) => ["snippets", key] as const,
  exclusion: ["exclusion-groups"] as const,
  segments: ["segments"] as const,
  onPage: (key: string, asked?: object) => (asked ? (["on-page", key, asked] as const) : (["on-page", key] as const)),
  pageUse: (key: string) => ["evidence", key, "page-use"] as const,
  shared: (token: string) => ["shared", token] as const,
  forEngineer: (token: string) => ["for-engineer", token] as const,
  links: (key: string) => ["links", key] as const,
  handover: (key: string) => ["handover", key] as const,
  casebook: (asked?: object) => (asked ? (["casebook", asked] as const) : (["casebook"] as const)),
  regionCases: ["casebook", "regions"] as const,
  levels: (by: string) => ["casebook", "levels", by] as const,
  cohorts: (key: string, asked: object) => ["evidence", key, "cohorts", asked] as const,
  selectedRange: (key: string, first: string, last: string) =>
    ["evidence", key, "selected-range", first, last] as const,
  derivation: (key: string, asked: object) => ["evidence", key, "derivation", asked] as const,
  size: (size: SizeIn) => ["scratchpad-size", size] as const,
};

/** What each kind of change makes out of date, of the experiment it concerns. The one list of it. */
const STALE = {
  experiment: (key) => [
    keys.docket(),
    keys.evidence(key),
    keys.ledger(key),
    keys.report(key),
    keys.rehearsal(key),
    keys.allocationRehearsal(key),
    keys.forecasts(key),
    keys.metrics(),
    keys.readiness(key),
    keys.onPage(key),
    keys.live(key),
    keys.exclusion,
    keys.regions(key),
    keys.spendingCalendar(key),
    keys.notices,
  ],
  data: (key) => [keys.evidence(key), keys.live(key), keys.docket(), keys.ledger(key), keys.report(key)],
  looks: (key) => [keys.ledger(key), keys.docket(), keys.report(key)],
  shares: (key) => [keys.experiment(key), keys.ledger(key)],
  split: (key) => [
    keys.experiment(key),
    keys.evidence(key),
    keys.ledger(key),
    keys.report(key),
    keys.live(key),
    keys.docket(),
    keys.notes(key),
  ],
  forecast: (key) => [keys.ledger(key)],
  rehearsal: (key) => [keys.allocationRehearsal(key)],
  regions: (key) => [keys.placebo(key), keys.spendingCalendar(key), keys.ledger(key), keys.docket()],
  handover: (key) => [keys.experiment(key), keys.docket(), keys.ledger(key), keys.report(key), keys.casebook()],
  links: (key) => [keys.links(key), keys.ledger(key)],
  notes: (key) => [["notes"], keys.ledger(key)],
  metric: () => [keys.metrics(), ["experiment"]],
  audiences: () => [keys.audiences],
  machineKeys: () => [keys.machineKeys],
  forgotten: () => [keys.forgotten, keys.docket(), ["live"], ["evidence"], ["ledger"]],
  lakes: () => [keys.lakes, keys.docket(), ["live"], ["evidence"], ["ledger"], ["report"]],
  segments: () => [["live"]],
  segmentSets: (key) => [keys.segmentEvidence(key)],
} satisfies Record<string, (key: string) => readonly QueryKey[]>;

/** What answers with the experiment as it then is comes one after another: of two at a time, the answer that was made first and
 * arrives last would undo on the screen what the other has done. */
export const editsOf = (key: string) => ({ id: `edit-${key}` });

/**
 * Has asked again what a change has put out of date, everything without a key. A first answer still on its way was asked for before the
 * change and may be of the time before it: it is not waited for. (The library alone would join the new question to it.)
 */
export async function askAgain(cache: QueryClient, queryKey: QueryKey = []): Promise<void> {
  void cache.cancelQueries({ queryKey, predicate: (query) => query.state.data === undefined });
  // eslint-disable-next-line no-restricted-syntax -- the one place of it
  await cache.invalidateQueries({ queryKey });
}

/** Has everything asked again that a change has put out of date; `key` is that of the experiment. */
export function useStale(): (change: keyof typeof STALE, key?: string) => void {
  const cache = useQueryClient();
  return useCallback(
    (change, key = "") => {
      for (const queryKey of STALE[change](key)) void askAgain(cache, queryKey);
    },
    [cache],
  );
}

/** Puts what a change answered in its place; an answer still on its way, asked for before the change, does not undo it. */
export function useReplace(): <T>(
  key: QueryKey,
  answer: T | ((before: T | undefined) => T | undefined),
) => Promise<void> {
  const cache = useQueryClient();
  return useCallback(
    async (key, answer) => {
      await cache.cancelQueries({ queryKey: key, exact: true });
      cache.setQueryData(key, answer);
    },
    [cache],
  );
}
