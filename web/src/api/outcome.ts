import { keepPreviousData, useInfiniteQuery, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { client, take, type ReportLink, type RolloutIn } from "./client";
import type { operations } from "./schema";
import { keys, useStale } from "./keys";
import { nextOffset } from "./pages";

export function useSharedReport(token: string) {
  return useQuery({
    queryKey: keys.shared(token),
    queryFn: () => take(client.GET("/api/v1/shared/{token}", { params: { path: { token } } })),
    retry: false,
  });
}

export function useForEngineer(token: string) {
  return useQuery({
    queryKey: keys.forEngineer(token),
    queryFn: () => take(client.GET("/api/v1/for-engineers/{token}", { params: { path: { token } } })),
    retry: false,
  });
}

export function useReportLinks(key: string) {
  const stale = useStale();
  const params = { path: { key } };
  const links = useQuery({
    queryKey: keys.links(key),
    queryFn: () => take(client.GET("/api/v1/experiments/{key}/report-links", { params })),
  });
  const onSuccess = () => stale("links", key);
  const make = useMutation({
    mutationFn: (body: { kind: ReportLink["kind"]; days: number; note: string }) =>
      take(client.POST("/api/v1/experiments/{key}/report-links", { params, body })),
    onSuccess,
  });
  const withdraw = useMutation({
    mutationFn: (link: number) =>
      take(client.POST("/api/v1/experiments/{key}/report-links/{link}/withdraw", { params: { path: { key, link } } })),
    onSuccess,
  });
  return { links, make, withdraw };
}

export function useHandover(key: string) {
  return useQuery({
    queryKey: keys.handover(key),
    queryFn: () => take(client.GET("/api/v1/experiments/{key}/handover", { params: { path: { key } } })),
  });
}

export type HandoverStep =
  | ({ kind: "rollout"; without_test?: boolean } & Required<RolloutIn>)
  | { kind: "stop"; reason: string }
  | { kind: "release" }
  | { kind: "add-place"; text: string; who: string }
  | { kind: "tick-place"; place: number; done: boolean }
  | { kind: "remove-place"; place: number }
  | { kind: "lesson"; learnt: string; why: string };

export function useHandoverStep(key: string) {
  const cache = useQueryClient();
  const stale = useStale();
  const params = { path: { key } };
  return useMutation({
    mutationFn: (step: HandoverStep) => {
      switch (step.kind) {
        case "rollout": {
          const { steps, lines, holdout, until, without_test = false } = step;
          const body = { steps, lines, holdout, until, without_test };
          return take(client.PUT("/api/v1/experiments/{key}/rollout", { params, body }));
        }
        case "stop":
          return take(client.POST("/api/v1/experiments/{key}/rollout/stop", { params, body: { reason: step.reason } }));
        case "release":
          return take(client.POST("/api/v1/experiments/{key}/rollout/release", { params }));
        case "add-place":
          return take(
            client.POST("/api/v1/experiments/{key}/places", { params, body: { text: step.text, who: step.who } }),
          );
        case "tick-place":
          return take(
            client.POST("/api/v1/experiments/{key}/places/{place}", {
              params: { path: { key, place: step.place } },
              body: { done: step.done },
            }),
          );
        case "remove-place":
          return take(
            client.DELETE("/api/v1/experiments/{key}/places/{place}", {
              params: { path: { key, place: step.place } },
            }),
          );
        case "lesson":
          return take(
            client.PUT("/api/v1/experiments/{key}/lesson", { params, body: { learnt: step.learnt, why: step.why } }),
          );
      }
    },
    onSuccess: (handover) => {
      cache.setQueryData(keys.handover(key), handover);
      stale("handover", key);
    },
  });
}

export interface CasebookAsked {
  search: string;
  area: string;
  verdict: string;
}

const CASES_A_PAGE = 100;

/** Decided experiments by pages, the latest first. */
export function useCasebook(asked: CasebookAsked) {
  return useInfiniteQuery({
    queryKey: keys.casebook(asked),
    queryFn: ({ pageParam: offset }) =>
      take(client.GET("/api/v1/casebook", { params: { query: { ...asked, offset, limit: CASES_A_PAGE } } })),
    initialPageParam: 0,
    getNextPageParam: (_last, pages) => nextOffset(pages, (page) => page.cases),
    placeholderData: keepPreviousData,
  });
}

/** The incremental return of each channel, over its decided tests by region. */
export function useRegionCases() {
  return useQuery({
    queryKey: keys.regionCases,
    queryFn: () => take(client.GET("/api/v1/casebook/regions")),
  });
}

/** What control showed in decided experiments, listed by area, month or a property of units. */
export function useLevels(by: string) {
  return useQuery({
    queryKey: keys.levels(by),
    queryFn: () => take(client.GET("/api/v1/casebook/levels", { params: { query: { by } } })),
    placeholderData: keepPreviousData,
  });
}

/** Taking the looks that are due, or setting one aside; both answer with the evidence as it is then. */
export function useLooks(key: string) {
  const cache = useQueryClient();
  const stale = useStale();
  const params = { path: { key } };
  return useMutation({
    mutationFn: (step: { kind: "take" } | { kind: "aside"; number: number; reason: string }) =>
      step.kind === "take"
        ? take(client.POST("/api/v1/experiments/{key}/looks", { params }))
        : take(
            client.POST("/api/v1/experiments/{key}/looks/{number}/set-aside", {
              params: { path: { key, number: step.number } },
              body: { reason: step.reason },
            }),
          ),
    onSuccess: (evidence) => {
      cache.setQueryData(keys.evidence(key), evidence);
      stale("looks", key);
    },
  });
}

export interface CohortsAsked {
  metric: string;
  variant: string;
  days_a_group: number;
}

export function useCohorts(key: string, asked: CohortsAsked) {
  return useQuery({
    queryKey: keys.cohorts(key, asked),
    queryFn: () => take(client.GET("/api/v1/experiments/{key}/cohorts", { params: { path: { key }, query: asked } })),
    placeholderData: keepPreviousData,
  });
}

/** Some days alone; asked once both ends are chosen. */
export function useSelectedRange(key: string, first: string, last: string) {
  return useQuery({
    queryKey: keys.selectedRange(key, first, last),
    queryFn: () =>
      take(
        client.GET("/api/v1/experiments/{key}/selected-range", { params: { path: { key }, query: { first, last } } }),
      ),
    enabled: !!first && !!last,
    placeholderData: keepPreviousData,
    retry: false,
  });
}

export function useSegmentSets(key: string) {
  const stale = useStale();
  const onSuccess = () => stale("segmentSets", key);
  const save = useMutation({
    mutationFn: (body: { name: string; by: string; values: string[] }) =>
      take(client.POST("/api/v1/segment-sets", { body })),
    onSuccess,
  });
  const remove = useMutation({
    mutationFn: (number: number) => client.DELETE("/api/v1/segment-sets/{number}", { params: { path: { number } } }),
    onSuccess,
  });
  return { save, remove };
}

/** A figure, and where it stands: of a metric, a segment, a look, some days, a step. */
export type FigureAsked = operations["get_derivation"]["parameters"]["query"];

/** How a figure is made. */
export function useDerivation(key: string, asked: FigureAsked) {
  return useQuery({
    queryKey: keys.derivation(key, asked),
    queryFn: () =>
      take(client.GET("/api/v1/experiments/{key}/derivation", { params: { path: { key }, query: { ...asked } } })),
    retry: false,
  });
}
