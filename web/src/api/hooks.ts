import {
  keepPreviousData,
  skipToken,
  useInfiniteQuery,
  useMutation,
  useQuery,
  useQueryClient,
} from "@tanstack/react-query";
import { useCallback } from "react";
import {
  addPicture,
  client,
  take,
  type CountsIn,
  type Definition,
  type Experiment,
  type ExperimentChanges,
  type LatestAATest,
  type Metric,
  type OutlineIn,
  type RolloutIn,
  type Schemas,
  type Session,
  type SizeIn,
} from "./client";
import type { paths } from "./schema";
import { nextOffset } from "./pages";
import { askAgain, editsOf, keys, useReplace, useStale } from "./keys";
import { recognise, recognised, signedInAgain } from "./signedOut";

/** Who is signed in. Where somebody was and nobody is any more, once they are again. */
async function askWhoItIs(): Promise<Session> {
  for (;;) {
    const session = await take(client.GET("/api/v1/session"));
    if (session.account) recognise(session.account.username);
    if (session.account || !recognised()) return session;
    await signedInAgain();
  }
}

export function useSession() {
  return useQuery({
    queryKey: keys.session,
    queryFn: askWhoItIs,
    staleTime: 5 * 60_000,
  });
}

/** The time zone in which the workspace cuts its days. */
export const useZone = (): string => useSession().data?.time_zone ?? "UTC";

/** Previews of the variants on the page, whether the script is there, and where it was seen; with an address of the page only. */
export function useOnPage(key: string, page: string, days: number) {
  return useQuery({
    queryKey: keys.onPage(key, { page, days }),
    queryFn: page
      ? () => take(client.GET("/api/v1/experiments/{key}/on-page", { params: { path: { key }, query: { days } } }))
      : skipToken,
  });
}

/** Where visitors clicked on the page, and how far down they came. */
export function usePageUse(key: string, enabled: boolean) {
  return useQuery({
    queryKey: keys.pageUse(key),
    queryFn: enabled
      ? () => take(client.GET("/api/v1/experiments/{key}/page-use", { params: { path: { key } } }))
      : skipToken,
  });
}

/** Keeps where the elements of a variant's page stand. Nobody waits for it: shown again, it is sent again. */
export function useKeepOutline(key: string) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (body: OutlineIn) =>
      client.PUT("/api/v1/experiments/{key}/outlines", { params: { path: { key } }, body }),
    onSuccess: () => askAgain(cache, keys.pageUse(key)),
  });
}

/** A link by which the variant is changed on the page itself. */
export function usePointing(key: string) {
  return useMutation({
    mutationFn: (variant: string) =>
      take(client.POST("/api/v1/experiments/{key}/pointing", { params: { path: { key } }, body: { variant } })),
  });
}

export function useSignIn() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (body: Schemas["SignIn"]) => take(client.POST("/api/v1/session", { body })),
    onSuccess: (session) => cache.setQueryData(keys.session, session),
  });
}

export type DocketFilter = NonNullable<NonNullable<paths["/api/v1/docket"]["get"]["parameters"]["query"]>>;

const ROWS_A_PAGE = 200;

/** The docket by pages, of which the next is asked for when it comes into sight. */
export function useDocket(filter: DocketFilter) {
  return useInfiniteQuery({
    queryKey: keys.docket(filter),
    queryFn: ({ pageParam: offset }) =>
      take(client.GET("/api/v1/docket", { params: { query: { ...filter, offset, limit: ROWS_A_PAGE } } })),
    initialPageParam: 0,
    getNextPageParam: (_last, pages) => nextOffset(pages, (page) => page.rows),
    placeholderData: keepPreviousData,
  });
}

const NEIGHBOURS = 500;

/** The docket when it is asked for, and not before: no page but its own waits for it. */
export function useDocketOnDemand() {
  const cache = useQueryClient();
  return () =>
    cache.fetchQuery({
      queryKey: keys.docketOnDemand,
      queryFn: () => take(client.GET("/api/v1/docket", { params: { query: { limit: NEIGHBOURS } } })),
    });
}

/** Notes that what others did until a moment has been seen. */
export function useLooked() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (at: string) => client.POST("/api/v1/me/docket-looked", { body: { at } }),
    onSuccess: () => askAgain(cache, keys.docket()),
  });
}

/** Who may own experiments. */
export function useOwners() {
  return useQuery({ queryKey: keys.owners, queryFn: () => take(client.GET("/api/v1/owners")) });
}

/** What holds all the words; what was found for the words before stays meanwhile. */
export function useSearch(words: string) {
  return useQuery({
    queryKey: keys.search(words),
    queryFn: words ? () => take(client.GET("/api/v1/search", { params: { query: { words } } })) : skipToken,
    placeholderData: keepPreviousData,
  });
}

export function useExperiment(key: string) {
  return useQuery({
    queryKey: keys.experiment(key),
    queryFn: () => take(client.GET("/api/v1/experiments/{key}", { params: { path: { key } } })),
  });
}

/** How often evidence is asked for again while events come in, in milliseconds. */
const EVIDENCE_EVERY = 5000;

export function useEvidence(key: string, enabled = true) {
  const cache = useQueryClient();
  return useQuery({
    queryKey: keys.evidence(key),
    queryFn: () => take(client.GET("/api/v1/experiments/{key}/evidence", { params: { path: { key } } })),
    enabled,
    refetchInterval: () => {
      const experiment = cache.getQueryData<Experiment>(keys.experiment(key));
      return experiment?.data_from === "events" && experiment.state === "running" ? EVIDENCE_EVERY : false;
    },
  });
}

export interface SegmentsAsked {
  by: string;
  metric: string;
  variant: string;
  set?: number;
}

export function useSegmentEvidence(key: string, asked: SegmentsAsked) {
  return useQuery({
    queryKey: keys.segmentEvidence(key, asked),
    queryFn: () =>
      take(client.GET("/api/v1/experiments/{key}/segments", { params: { path: { key }, query: { ...asked } } })),
    placeholderData: keepPreviousData,
  });
}

export function useLedger(key: string) {
  return useQuery({
    queryKey: keys.ledger(key),
    queryFn: () => take(client.GET("/api/v1/experiments/{key}/ledger", { params: { path: { key } } })),
  });
}

export function useReport(key: string) {
  return useQuery({
    queryKey: keys.report(key),
    queryFn: () => take(client.GET("/api/v1/experiments/{key}/report", { params: { path: { key } } })),
  });
}

/** Put an experiment that the server has sent back in place, and let what follows from it be asked again. */
export function useKeep(): (experiment: Experiment) => Promise<void> {
  const replace = useReplace();
  const stale = useStale();
  return useCallback(
    async (experiment) => {
      await replace(keys.experiment(experiment.key), experiment);
      stale("experiment", experiment.key);
    },
    [replace, stale],
  );
}

export function useCreate() {
  const keep = useKeep();
  return useMutation({
    mutationFn: (body: { name: string; changes?: ExperimentChanges }) =>
      take(client.POST("/api/v1/experiments", { body })),
    onSuccess: keep,
  });
}

export type Step =
  | {
      kind: "start";
      started_on: string | null;
      starts_at?: string | null;
      ends_at?: string | null;
      reason?: string;
    }
  | { kind: "end-time"; ends_at: string | null }
  | { kind: "pause" | "end"; hold: boolean }
  | {
      kind: "resume" | "archive" | "restore" | "unschedule" | "to-draft" | "new-round" | "copy" | "follow-up";
    }
  | { kind: "decide"; choice: string; reason: string; next_step: string; rollout: RolloutIn | null }
  | { kind: "withdraw"; reason: string };

export function useStep(key: string) {
  const keep = useKeep();
  const params = { path: { key } };
  return useMutation({
    scope: editsOf(key),
    mutationFn: (step: Step): Promise<Experiment> => {
      switch (step.kind) {
        case "start": {
          const { started_on, starts_at, ends_at, reason = "" } = step;
          const body = { started_on, starts_at: starts_at ?? null, ends_at: ends_at ?? null, reason };
          return take(client.POST("/api/v1/experiments/{key}/start", { params, body }));
        }
        case "end-time":
          return take(client.PUT("/api/v1/experiments/{key}/end-time", { params, body: { ends_at: step.ends_at } }));
        case "copy":
          return take(client.POST("/api/v1/experiments/{key}/copy", { params }));
        case "follow-up":
          return take(client.POST("/api/v1/experiments/{key}/follow-up", { params }));
        case "decide": {
          const { choice, reason, next_step, rollout } = step;
          const body = { choice, reason, next_step, rollout };
          return take(client.POST("/api/v1/experiments/{key}/decision", { params, body }));
        }
        case "withdraw":
          return take(
            client.POST("/api/v1/experiments/{key}/withdraw-decision", { params, body: { reason: step.reason } }),
          );
        case "pause":
        case "end": {
          const params = { path: { key, move: step.kind }, query: { hold_units: step.hold } };
          return take(client.POST("/api/v1/experiments/{key}/move/{move}", { params }));
        }
        default:
          return take(
            client.POST("/api/v1/experiments/{key}/move/{move}", { params: { path: { key, move: step.kind } } }),
          );
      }
    },
    onSuccess: keep,
  });
}

/** The verdict on counts; asks nothing while they are null. */
export function useVerdictOf(counts: CountsIn | null) {
  return useQuery({
    queryKey: keys.verdict(counts),
    queryFn: counts ? () => take(client.POST("/api/v1/scratchpad/verdict", { body: counts })) : skipToken,
    retry: false,
    placeholderData: keepPreviousData,
  });
}

export function useSizeOf(size: SizeIn, enabled = true) {
  return useQuery({
    queryKey: keys.size(size),
    queryFn: () => take(client.POST("/api/v1/scratchpad/size", { body: size })),
    enabled,
    retry: false,
    placeholderData: keepPreviousData,
  });
}

/** The metric library, or the part of it that a search finds. */
export function useMetrics(search = "") {
  return useQuery({
    queryKey: keys.metrics(search),
    queryFn: () => take(client.GET("/api/v1/metrics", { params: { query: { search } } })),
    placeholderData: keepPreviousData,
  });
}

/** Names of the metrics of the library, to choose from. */
export function useMetricNames(): string[] {
  return useMetrics().data?.items.map((metric) => metric.name) ?? [];
}

/** Events that came in, with their properties. */
function useSeenEvents() {
  return useQuery({
    queryKey: keys.seenEvents,
    queryFn: () => take(client.GET("/api/v1/events/seen")),
    staleTime: 60_000,
  });
}

/** Names of the events that came in or that metrics count, to choose from. */
export function useEventNames(): string[] {
  const seen = useSeenEvents().data?.map((event) => event.name) ?? [];
  return [...new Set([...seen, ...(useMetrics().data?.items.flatMap((metric) => metric.events) ?? [])])].sort();
}

/** What a unit is known by when it is assigned, and sent with its exposure. */
export const AT_EXPOSURE = ["exposure"];

/** Properties that events of these names, or any where none is given, were seen with; each with its most frequent values. */
export function useSeenProperties(events: readonly string[] = []): Map<string, string[]> {
  const found = new Map<string, string[]>();
  for (const event of useSeenEvents().data ?? []) {
    if (events.length > 0 && !events.includes(event.name)) continue;
    for (const { name, values } of event.properties)
      found.set(name, [...new Set([...(found.get(name) ?? []), ...values])]);
  }
  return found;
}

export function useMetric(key: string | null) {
  return useQuery({
    queryKey: keys.metric(key ?? ""),
    queryFn: key ? () => take(client.GET("/api/v1/metrics/{key}", { params: { path: { key } } })) : skipToken,
  });
}

export interface MetricDraft {
  name: string;
  description: string;
  definition: Definition;
}

/** Makes a metric (no key), or a new version of the one with this key. */
export function useSaveMetric(key: string | null) {
  const cache = useQueryClient();
  const stale = useStale();
  return useMutation({
    mutationFn: ({ version, ...body }: MetricDraft & { version: number }): Promise<Metric> =>
      key
        ? take(client.PUT("/api/v1/metrics/{key}", { params: { path: { key } }, body: { ...body, version } }))
        : take(client.POST("/api/v1/metrics", { body })),
    onSuccess: (metric) => {
      cache.setQueryData(keys.metric(metric.key), metric);
      stale("metric");
    },
  });
}

export function useDeleteMetric(key: string) {
  const stale = useStale();
  return useMutation({
    mutationFn: () => client.DELETE("/api/v1/metrics/{key}", { params: { path: { key } } }),
    onSuccess: () => stale("metric"),
  });
}

export function useRemoveSecondCount(key: string, source: string) {
  const stale = useStale();
  return useMutation({
    mutationFn: () =>
      client.DELETE("/api/v1/experiments/{key}/second-counts/{source}", { params: { path: { key, source } } }),
    onSuccess: () => stale("data", key),
  });
}

export function useSampleEvents() {
  return useQuery({
    queryKey: keys.sample,
    queryFn: () => take(client.GET("/api/v1/metrics/sample-events")),
    staleTime: Infinity,
  });
}

/** What a definition would count of some events; asks nothing while there are none. */
export function useMetricPreview(definition: Definition, events: string | null) {
  return useQuery({
    queryKey: keys.metricPreview(definition, events),
    queryFn:
      events === null
        ? skipToken
        : () => take(client.POST("/api/v1/metrics/preview", { body: { definition, events } })),
    retry: false,
    placeholderData: keepPreviousData,
  });
}

export function useForecasts(key: string) {
  return useQuery({
    queryKey: keys.forecasts(key),
    queryFn: () => take(client.GET("/api/v1/experiments/{key}/forecasts", { params: { path: { key } } })),
  });
}

export interface Guess {
  lift: number;
  low: number;
  high: number;
  note: string;
}

/** Enters the own forecast, or takes it back (null). */
export function useForecast(key: string) {
  const cache = useQueryClient();
  const stale = useStale();
  const params = { path: { key } };
  return useMutation({
    mutationFn: (guess: Guess | null) =>
      guess
        ? take(client.PUT("/api/v1/experiments/{key}/forecasts/mine", { params, body: guess }))
        : take(client.DELETE("/api/v1/experiments/{key}/forecasts/mine", { params })),
    onSuccess: (forecasts) => {
      cache.setQueryData(keys.forecasts(key), forecasts);
      stale("forecast", key);
    },
  });
}

const POLL = 400;

/** The latest rehearsal, asked for again and again while it runs. */
export function useRehearsal(key: string) {
  return useQuery({
    queryKey: keys.rehearsal(key),
    queryFn: () => take(client.GET("/api/v1/experiments/{key}/rehearsal", { params: { path: { key } } })),
    refetchInterval: (query) => (query.state.data?.rehearsal?.state === "running" ? POLL : false),
    staleTime: 0,
  });
}

export interface RehearsalWish {
  runs: number;
  seed: number;
  own_lift: number | null;
}

export function useRehearse(key: string) {
  const replace = useReplace();
  return useMutation({
    mutationFn: (body: RehearsalWish) =>
      take(client.POST("/api/v1/experiments/{key}/rehearsal", { params: { path: { key } }, body })),
    onSuccess: (rehearsal) => replace(keys.rehearsal(key), { rehearsal }),
  });
}

export function useCancelRehearsal(key: string) {
  const replace = useReplace();
  const stale = useStale();
  return useMutation({
    mutationFn: (number: number) =>
      take(client.DELETE("/api/v1/experiments/{key}/rehearsal/{number}", { params: { path: { key, number } } })),
    onSuccess: async (latest) => {
      await replace(keys.rehearsal(key), latest);
      stale("rehearsal", key);
    },
  });
}

/** The A/A test of a metric on the workspace's own past units begun last. */
export function useAATest(metric: string) {
  return useQuery({
    queryKey: keys.aaTest(metric),
    queryFn: () => take(client.GET("/api/v1/metrics/{key}/aa-test", { params: { path: { key: metric } } })),
    refetchInterval: (query) => (query.state.data?.test?.state === "running" ? POLL : false),
  });
}

export function useStartAATest(metric: string) {
  const replace = useReplace();
  return useMutation({
    mutationFn: (body: { shares: number[]; confidence: number; splits: number; seed: number }) =>
      take(client.POST("/api/v1/metrics/{key}/aa-test", { params: { path: { key: metric } }, body })),
    onSuccess: (test) => replace<LatestAATest>(keys.aaTest(metric), (before) => before && { ...before, test }),
  });
}

export function useCancelAATest(metric: string) {
  const replace = useReplace();
  return useMutation({
    mutationFn: (number: number) =>
      take(client.DELETE("/api/v1/metrics/{key}/aa-test/{number}", { params: { path: { key: metric, number } } })),
    onSuccess: (latest) => replace(keys.aaTest(metric), latest),
  });
}

/** What control showed in decided experiments with the same metric. */
export function usePast(key: string, metric: string) {
  return useQuery({
    queryKey: keys.past(key, metric),
    queryFn: () => take(client.GET("/api/v1/experiments/{key}/past", { params: { path: { key } } })),
  });
}

export function usePictures(key: string) {
  const keep = useKeep();
  const add = useMutation({
    scope: editsOf(key),
    mutationFn: ({ variant, file }: { variant: number; file: File }) => addPicture(key, variant, file),
    onSuccess: keep,
  });
  const remove = useMutation({
    scope: editsOf(key),
    mutationFn: (picture: number) =>
      take(client.DELETE("/api/v1/experiments/{key}/pictures/{picture}", { params: { path: { key, picture } } })),
    onSuccess: keep,
  });
  return { add, remove };
}
