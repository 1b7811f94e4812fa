import { keepPreviousData, skipToken, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { client, take, type CountsIn, type Experiment, type ExperimentChanges, type SizeIn } from "./client";

export const keys = {
  session: ["session"] as const,
  docket: (filter?: object) => (filter ? (["docket", filter] as const) : (["docket"] as const)),
  experiment: (key: string) => ["experiment", key] as const,
  evidence: (key: string) => ["evidence", key] as const,
  ledger: (key: string) => ["ledger", key] as const,
  report: (key: string) => ["report", key] as const,
  verdict: (counts: CountsIn | null) => ["scratchpad-verdict", counts] as const,
  size: (size: SizeIn) => ["scratchpad-size", size] as const,
};

export function useSession() {
  return useQuery({
    queryKey: keys.session,
    queryFn: () => take(client.GET("/api/v1/session")),
    staleTime: 5 * 60_000,
  });
}

export function useSignIn() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (body: { username: string; password: string }) => take(client.POST("/api/v1/session", { body })),
    onSuccess: (session) => cache.setQueryData(keys.session, session),
  });
}

export interface DocketFilter {
  search: string;
  area: string;
  mine: boolean;
  archived: boolean;
}

export function useDocket(filter: DocketFilter) {
  return useQuery({
    queryKey: keys.docket(filter),
    queryFn: () => take(client.GET("/api/v1/docket", { params: { query: filter } })),
    placeholderData: keepPreviousData,
  });
}

export function useExperiment(key: string) {
  return useQuery({
    queryKey: keys.experiment(key),
    queryFn: () => take(client.GET("/api/v1/experiments/{key}", { params: { path: { key } } })),
  });
}

export function useEvidence(key: string, enabled = true) {
  return useQuery({
    queryKey: keys.evidence(key),
    queryFn: () => take(client.GET("/api/v1/experiments/{key}/evidence", { params: { path: { key } } })),
    enabled,
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

/** Put an experiment that the server has sent back in place, and let what follows from it be asked anew. */
export function useKeep() {
  const cache = useQueryClient();
  return (experiment: Experiment) => {
    cache.setQueryData(keys.experiment(experiment.key), experiment);
    for (const stale of [
      keys.docket(),
      keys.evidence(experiment.key),
      keys.ledger(experiment.key),
      keys.report(experiment.key),
    ]) {
      void cache.invalidateQueries({ queryKey: stale });
    }
  };
}

export function useCreate() {
  const keep = useKeep();
  return useMutation({
    mutationFn: (body: { name: string; changes?: ExperimentChanges }) =>
      take(client.POST("/api/v1/experiments", { body: body as never })),
    onSuccess: keep,
  });
}

export type Step =
  | { kind: "start"; started_on: string | null }
  | { kind: "pause" | "resume" | "end" | "archive" | "restore" | "copy" }
  | { kind: "decide"; choice: string; reason: string; next_step: string }
  | { kind: "withdraw"; reason: string };

export function useStep(key: string) {
  const keep = useKeep();
  const params = { path: { key } };
  return useMutation({
    mutationFn: (step: Step): Promise<Experiment> => {
      switch (step.kind) {
        case "start":
          return take(
            client.POST("/api/v1/experiments/{key}/start", { params, body: { started_on: step.started_on } }),
          );
        case "copy":
          return take(client.POST("/api/v1/experiments/{key}/copy", { params }));
        case "decide": {
          const { choice, reason, next_step } = step;
          return take(
            client.POST("/api/v1/experiments/{key}/decision", { params, body: { choice, reason, next_step } }),
          );
        }
        case "withdraw":
          return take(
            client.POST("/api/v1/experiments/{key}/withdraw-decision", { params, body: { reason: step.reason } }),
          );
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
