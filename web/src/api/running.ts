import { keepPreviousData, skipToken, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import {
  client,
  take,
  type ConditionGroup,
  type Experiment,
  type Lake,
  type NeverCounted,
  type Schemas,
} from "./client";
import { keys, useReplace, useStale } from "./keys";

/** How often the Watch sheet asks while it is looked at, in milliseconds. */
export const WATCH_EVERY = 3000;

/** What comes in; asked again and again while the experiment is on the way. */
export function useLive(key: string, running: boolean) {
  return useQuery({
    queryKey: keys.live(key),
    queryFn: () => take(client.GET("/api/v1/experiments/{key}/live", { params: { path: { key } } })),
    refetchInterval: running ? WATCH_EVERY : false,
  });
}

export function useReadiness(key: string, enabled = true) {
  return useQuery({
    queryKey: keys.readiness(key),
    queryFn: () => take(client.GET("/api/v1/experiments/{key}/readiness", { params: { path: { key } } })),
    enabled,
    refetchInterval: enabled ? WATCH_EVERY : false,
  });
}

export function useNotices() {
  return useQuery({
    queryKey: keys.notices,
    queryFn: () => take(client.GET("/api/v1/notices")),
    refetchInterval: 30_000,
  });
}

export function useReadNotices() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: () => take(client.POST("/api/v1/notices/read")),
    onSuccess: (notices) => cache.setQueryData(keys.notices, notices),
  });
}

export function useNotes(key: string) {
  return useQuery({
    queryKey: keys.notes(key),
    queryFn: () => take(client.GET("/api/v1/experiments/{key}/notes", { params: { path: { key } } })),
  });
}

export function useChangeNotes(key: string) {
  const stale = useStale();
  const params = { path: { key } };
  const onSuccess = () => stale("notes", key);
  const add = useMutation({
    mutationFn: (body: { day: string; text: string; everywhere: boolean }) =>
      take(client.POST("/api/v1/experiments/{key}/notes", { params, body })),
    onSuccess,
  });
  const remove = useMutation({
    mutationFn: (number: number) =>
      client.DELETE("/api/v1/experiments/{key}/notes/{number}", { params: { path: { key, number } } }),
    onSuccess,
  });
  return { add, remove };
}

/** Watch one more metric, by its name; or take one away that was added, by its key. */
export function useAddMetric(key: string) {
  const counted = useCountedAgain(key);
  return useMutation({
    mutationFn: (name: string) =>
      take(client.POST("/api/v1/experiments/{key}/added-metrics", { params: { path: { key } }, body: { name } })),
    onSuccess: counted,
  });
}

export function useRemoveMetric(key: string) {
  const counted = useCountedAgain(key);
  return useMutation({
    mutationFn: (metric: string) =>
      take(client.DELETE("/api/v1/experiments/{key}/added-metrics/{metric}", { params: { path: { key, metric } } })),
    onSuccess: counted,
  });
}

/** The experiment as it is now, and its data asked for once more. */
function useCountedAgain(key: string) {
  const replace = useReplace();
  const stale = useStale();
  return async (experiment: Experiment) => {
    await replace(keys.experiment(key), experiment);
    stale("data", key);
    stale("notes", key);
  };
}

export function useAudiences() {
  return useQuery({ queryKey: keys.audiences, queryFn: () => take(client.GET("/api/v1/audiences")) });
}

/** Audiences that ship with the application, with how many of last month's units each would have let in. */
export function useReadyAudiences() {
  return useQuery({
    queryKey: keys.readyAudiences,
    queryFn: () => take(client.GET("/api/v1/audiences/ready-made")),
  });
}

/** How many of last month's units rules would have let in; asks nothing while there are none. */
export function useAudienceSize(groups: ConditionGroup[]) {
  return useQuery({
    queryKey: keys.audienceSize(groups),
    queryFn: groups.length > 0 ? () => take(client.POST("/api/v1/audiences/size", { body: { groups } })) : skipToken,
    retry: false,
    placeholderData: keepPreviousData,
  });
}

export interface AudienceDraft {
  name: string;
  description: string;
  groups: ConditionGroup[];
}

export function useKeepAudience() {
  const stale = useStale();
  const onSuccess = () => stale("audiences");
  const keep = useMutation({
    mutationFn: (body: AudienceDraft) => take(client.POST("/api/v1/audiences", { body })),
    onSuccess,
  });
  const change = useMutation({
    mutationFn: ({ number, ...body }: AudienceDraft & { number: number }) =>
      take(client.PUT("/api/v1/audiences/{number}", { params: { path: { number } }, body })),
    onSuccess,
  });
  const remove = useMutation({
    mutationFn: (number: number) => client.DELETE("/api/v1/audiences/{number}", { params: { path: { number } } }),
    onSuccess,
  });
  return { keep, change, remove };
}

/** Would a visitor with these properties take part? */
export function useCheck(key: string) {
  return useMutation({
    mutationFn: (body: { unit: string; properties: Record<string, unknown> }) =>
      take(client.POST("/api/v1/experiments/{key}/would-take-part", { params: { path: { key } }, body })),
  });
}

/** Who is never counted in experiments that are made from now on. */
export function useNeverCounted() {
  return useQuery({ queryKey: keys.neverCounted, queryFn: () => take(client.GET("/api/v1/never-counted")) });
}

export function useKeepNeverCounted() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (body: NeverCounted) => take(client.PUT("/api/v1/never-counted", { body })),
    onSuccess: (kept) => cache.setQueryData(keys.neverCounted, kept),
  });
}

export function useMachineKeys() {
  return useQuery({ queryKey: keys.machineKeys, queryFn: () => take(client.GET("/api/v1/keys")) });
}

export function useKeyActions() {
  const stale = useStale();
  const onSuccess = () => stale("machineKeys");
  const make = useMutation({
    mutationFn: (body: Schemas["KeyIn"]) => take(client.POST("/api/v1/keys", { body })),
    onSuccess,
  });
  const makeForSite = useMutation({
    mutationFn: (body: Schemas["SiteKeyIn"]) => take(client.POST("/api/v1/site-keys", { body })),
    onSuccess,
  });
  const withdraw = useMutation({
    mutationFn: (number: number) => take(client.DELETE("/api/v1/keys/{number}", { params: { path: { number } } })),
    onSuccess,
  });
  return { make, makeForSite, withdraw };
}

/** Who was forgotten, the last first. */
export function useForgotten() {
  return useQuery({ queryKey: keys.forgotten, queryFn: () => take(client.GET("/api/v1/forgotten")) });
}

/** What is known of a person, forgetting them, and noting that they are erased elsewhere too. */
export function useForgetting() {
  const stale = useStale();
  const onSuccess = () => stale("forgotten");
  const look = useMutation({
    mutationFn: (unit: string) => take(client.POST("/api/v1/forget/preview", { body: { unit } })),
  });
  const forget = useMutation({
    mutationFn: (unit: string) => take(client.POST("/api/v1/forget", { body: { unit } })),
    onSuccess,
  });
  const erased = useMutation({
    mutationFn: (number: number) =>
      take(client.POST("/api/v1/forgotten/{number}/erased", { params: { path: { number } } })),
    onSuccess,
  });
  return { look, forget, erased };
}

/** The lakes that are counted; asked again and again while one is. */
export function useLakes() {
  return useQuery({
    queryKey: keys.lakes,
    queryFn: () => take(client.GET("/api/v1/lakes")),
    refetchInterval: (query) =>
      query.state.data?.lakes.some((lake) => lake.runs[0]?.state === "running") ? WATCH_EVERY / 3 : false,
  });
}

/** Counting a lake now, and how often it is counted by itself. */
export function useLakeActions(name: string) {
  const stale = useStale();
  const begin = useMutation({
    mutationFn: () => take(client.POST("/api/v1/lakes/{name}/runs", { params: { path: { name } } })),
    onSettled: () => stale("lakes"),
  });
  const schedule = useMutation({
    mutationFn: (body: { every: Lake["schedule"]["every"]; hour: number }) =>
      take(client.PUT("/api/v1/lakes/{name}/schedule", { params: { path: { name } }, body })),
    onSettled: () => stale("lakes"),
  });
  return { begin, schedule };
}

/** For how long what is kept, and choosing that. */
export function useRetention() {
  const replace = useReplace();
  const kept = useQuery({ queryKey: keys.retention, queryFn: () => take(client.GET("/api/v1/retention")) });
  const choose = useMutation({
    mutationFn: (body: { days_of_events: number | null; days_of_ids: number | null }) =>
      take(client.PUT("/api/v1/retention", { body })),
    onSuccess: (answer) => replace(keys.retention, answer),
  });
  return { kept, choose };
}

export function useSnippets(key: string) {
  return useQuery({
    queryKey: keys.snippets(key),
    queryFn: () => take(client.GET("/api/v1/experiments/{key}/snippets", { params: { path: { key } } })),
  });
}

export function useExclusionGroups() {
  return useQuery({ queryKey: keys.exclusion, queryFn: () => take(client.GET("/api/v1/exclusion-groups")) });
}

export function useSegments() {
  return useQuery({ queryKey: keys.segments, queryFn: () => take(client.GET("/api/v1/segments")) });
}

/** What the evidence of one experiment is broken down by, in addition to the properties kept in all of them. */
export function useChooseBreakdowns(key: string) {
  const counted = useCountedAgain(key);
  return useMutation({
    mutationFn: (segments: string[][]) =>
      take(client.PUT("/api/v1/experiments/{key}/breakdowns", { params: { path: { key } }, body: { segments } })),
    onSuccess: counted,
  });
}

export function useChooseSegments() {
  const cache = useQueryClient();
  const stale = useStale();
  return useMutation({
    mutationFn: (segments: string[][]) => take(client.PUT("/api/v1/segments", { body: { segments } })),
    onSuccess: (chosen) => {
      cache.setQueryData(keys.segments, chosen);
      stale("segments");
    },
  });
}
