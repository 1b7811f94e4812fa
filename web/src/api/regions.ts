import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { client, sendForm, take } from "./client";
import { useKeep } from "./hooks";
import { askAgain, editsOf, keys, useReplace, useStale } from "./keys";
import type { components, operations } from "./schema";

type Schemas = components["schemas"];
export type RegionPlan = Schemas["RegionPlanOut"];
export type RegionChanges = Schemas["RegionPlanChanges"];
export type RegionDesign = Schemas["RegionDesignOut"];
export type RegionFinding = Schemas["RegionFindingOut"];
export type RegionPast = Schemas["RegionPastOut"];
export type RegionArm = Schemas["RegionArmOut"];
export type RegionResponse = Schemas["ResponseOut"];
export type Placebo = Schemas["PlaceboOut"];

export type SpendingCalendar = Schemas["SpendingCalendarOut"];
export type SpendingCalendarIn = Schemas["SpendingCalendarIn"];
export type SpendingDay = Schemas["SpendingDayOut"];

const POLL = 700;

/** The plan of a test by region, with its pairs, designs and cells. */
export function useRegionPlan(key: string, enabled = true) {
  return useQuery({
    queryKey: keys.regions(key),
    queryFn: () => take(client.GET("/api/v1/experiments/{key}/regions", { params: { path: { key } } })),
    enabled,
  });
}

export function useCreateRegionTest() {
  const stale = useStale();
  return useMutation({
    mutationFn: (name: string) => take(client.POST("/api/v1/region-tests", { body: { name } })),
    onSuccess: (made) => stale("experiment", made.key),
  });
}

/** One change after another, each on the version that the one before has made. */
export function useEditRegions(key: string) {
  const cache = useQueryClient();
  const kept = useKept(key);
  return useMutation({
    scope: { id: `regions-${key}` },
    mutationFn: (changes: RegionChanges) => {
      const version = cache.getQueryData<RegionPlan>(keys.regions(key))?.version ?? 0;
      return take(
        client.PATCH("/api/v1/experiments/{key}/regions", { params: { path: { key } }, body: { version, changes } }),
      );
    },
    onSuccess: kept,
    onError: () => askAgain(cache, keys.regions(key)),
  });
}

export function useBringPast(key: string) {
  const kept = useKept(key);
  return useMutation({
    mutationFn: ({ file, missingIsZero, mark }: { file: File; missingIsZero: boolean; mark: "" | "." | "," }) =>
      sendForm<RegionPlan>(`/experiments/${key}/regions/past`, {
        file,
        missing_is_zero: String(missingIsZero),
        decimal_mark: mark,
      }),
    onSuccess: kept,
  });
}

export function usePlacebo(key: string) {
  return useQuery({
    queryKey: keys.placebo(key),
    queryFn: () => take(client.GET("/api/v1/experiments/{key}/regions/placebo", { params: { path: { key } } })),
    refetchInterval: (query) => (query.state.data?.placebo?.state === "running" ? POLL : false),
    staleTime: 0,
  });
}

export function useStartPlacebo(key: string) {
  const replace = useReplace();
  return useMutation({
    mutationFn: (draws: number) =>
      take(client.POST("/api/v1/experiments/{key}/regions/placebo", { params: { path: { key } }, body: { draws } })),
    onSuccess: (placebo) => replace(keys.placebo(key), { placebo }),
  });
}

export function useCancelPlacebo(key: string) {
  const replace = useReplace();
  return useMutation({
    mutationFn: (number: number) =>
      take(client.DELETE("/api/v1/experiments/{key}/regions/placebo/{number}", { params: { path: { key, number } } })),
    onSuccess: (latest) => replace(keys.placebo(key), latest),
  });
}

export function useDrawCells(key: string) {
  const kept = useKept(key);
  return useMutation({
    mutationFn: (seed: number | null) =>
      take(client.POST("/api/v1/experiments/{key}/regions/draw", { params: { path: { key } }, body: { seed } })),
    onSuccess: kept,
  });
}

export function useUndoDraw(key: string) {
  const kept = useKept(key);
  return useMutation({
    mutationFn: (reason: string) =>
      take(client.POST("/api/v1/experiments/{key}/regions/draw/undo", { params: { path: { key } }, body: { reason } })),
    onSuccess: kept,
  });
}

export function useSpendingCalendar(key: string) {
  return useQuery({
    queryKey: keys.spendingCalendar(key),
    queryFn: () => take(client.GET("/api/v1/experiments/{key}/regions/calendar", { params: { path: { key } } })),
  });
}

/** Makes the calendar, or all of it again with what was changed. */
export function useSetSpendingCalendar(key: string) {
  const cache = useQueryClient();
  const replace = useReplace();
  const stale = useStale();
  return useMutation({
    scope: { id: `regions-${key}` },
    mutationFn: (body: SpendingCalendarIn) =>
      take(client.PUT("/api/v1/experiments/{key}/regions/calendar", { params: { path: { key } }, body })),
    onSuccess: async (latest) => {
      await replace(keys.spendingCalendar(key), latest);
      await askAgain(cache, keys.regions(key)); // the plan has another version
      stale("regions", key);
    },
    onError: () => askAgain(cache, keys.spendingCalendar(key)),
  });
}

function useKept(key: string) {
  const replace = useReplace();
  const stale = useStale();
  return async (plan: RegionPlan) => {
    await replace(keys.regions(key), plan);
    stale("regions", key);
  };
}

export type RegionReading = Schemas["RegionReadingOut"];
export type OutcomeEffect = Schemas["OutcomeEffectOut"];
export type RegionWatchOf = Schemas["RegionWatchOut"];
export type Bounds = Schemas["BoundsOut"];
export type BroughtDays = Schemas["BroughtDaysOut"];

/** What the test shows with the days so far; asked for once it has started. */
export function useRegionReading(key: string, started: boolean) {
  return useQuery({
    queryKey: keys.regionReading(key),
    queryFn: () => take(client.GET("/api/v1/experiments/{key}/regions/reading", { params: { path: { key } } })),
    enabled: started,
  });
}

/** A draft with the same brief, plan and past. */
export function useCopyRegionTest(key: string) {
  const keep = useKeep();
  return useMutation({
    mutationFn: () => take(client.POST("/api/v1/experiments/{key}/regions/copy", { params: { path: { key } } })),
    onSuccess: keep,
  });
}

export function useStartRegionTest(key: string) {
  const keep = useKeep();
  return useMutation({
    scope: editsOf(key),
    mutationFn: () => take(client.POST("/api/v1/experiments/{key}/regions/start", { params: { path: { key } } })),
    onSuccess: keep,
  });
}

export function useBringDays(key: string) {
  const replace = useReplace();
  const stale = useStale();
  return useMutation({
    mutationFn: (file: File) => sendForm<BroughtDays>(`/experiments/${key}/regions/days`, { file, decimal_mark: "" }),
    onSuccess: async (brought) => {
      await replace(keys.regionReading(key), brought.reading);
      stale("regions", key);
    },
  });
}

export function useDecideRegions(key: string) {
  const keep = useKeep();
  return useMutation({
    scope: editsOf(key),
    mutationFn: (body: Schemas["RegionDecisionIn"]) =>
      take(client.POST("/api/v1/experiments/{key}/regions/decision", { params: { path: { key } }, body })),
    onSuccess: keep,
  });
}

/** Gives lists and calendar to the advertising desk. */
export function useHandOver(key: string) {
  const kept = useKept(key);
  return useMutation({
    mutationFn: () => take(client.POST("/api/v1/experiments/{key}/regions/desk", { params: { path: { key } } })),
    onSuccess: kept,
  });
}

/** Asks the advertising desk what was spent up to yesterday. */
export function useFetchSpend(key: string) {
  const replace = useReplace();
  const stale = useStale();
  return useMutation({
    mutationFn: () => take(client.POST("/api/v1/experiments/{key}/regions/desk/spend", { params: { path: { key } } })),
    onSuccess: async (brought) => {
      await replace(keys.regionReading(key), brought.reading);
      stale("regions", key);
    },
  });
}

export type RegionFigureAsked = operations["get_region_derivation"]["parameters"]["query"];

/** How a figure of a test by region is made. */
export function useRegionDerivation(key: string, asked: RegionFigureAsked) {
  return useQuery({
    queryKey: keys.regionDerivation(key, asked),
    queryFn: () =>
      take(
        client.GET("/api/v1/experiments/{key}/regions/derivation", {
          params: { path: { key }, query: { ...asked } },
        }),
      ),
    retry: false,
  });
}
