import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { client, take } from "./client";
import { keys, useReplace, useStale } from "./keys";

const POLL = 400;
/** Epochs last an hour at least; what is looked at need not be newer than this, in milliseconds. */
const EPOCHS_EVERY = 15_000;

/** The epochs of an experiment whose traffic follows the evidence; asked again while it runs. */
export function useAllocation(key: string, running: boolean, enabled = true) {
  return useQuery({
    queryKey: keys.allocation(key),
    queryFn: () => take(client.GET("/api/v1/experiments/{key}/allocation", { params: { path: { key } } })),
    refetchInterval: running ? EPOCHS_EVERY : false,
    enabled,
  });
}

export function useEpochRecord(key: string, number: number) {
  return useQuery({
    queryKey: keys.epoch(key, number),
    queryFn: () => take(client.GET("/api/v1/experiments/{key}/epochs/{number}", { params: { path: { key, number } } })),
    staleTime: Infinity,
  });
}

export type Reallocation =
  { way: "freeze" | "follow" | "even"; reason: string } | { way: "hand"; shares: number[]; reason: string };

export function useReallocate(key: string) {
  const cache = useQueryClient();
  const stale = useStale();
  return useMutation({
    mutationFn: (wanted: Reallocation) =>
      wanted.way === "hand"
        ? take(
            client.POST("/api/v1/experiments/{key}/allocation/by-hand", {
              params: { path: { key } },
              body: { shares: wanted.shares, reason: wanted.reason },
            }),
          )
        : take(
            client.POST("/api/v1/experiments/{key}/allocation/{way}", {
              params: { path: { key, way: wanted.way } },
              body: { reason: wanted.reason },
            }),
          ),
    onSuccess: (allocation) => {
      cache.setQueryData(keys.allocation(key), allocation);
      stale("shares", key);
    },
  });
}

export function useAllocationRehearsal(key: string) {
  return useQuery({
    queryKey: keys.allocationRehearsal(key),
    queryFn: () => take(client.GET("/api/v1/experiments/{key}/allocation/rehearsal", { params: { path: { key } } })),
    refetchInterval: (query) => (query.state.data?.rehearsal?.state === "running" ? POLL : false),
    staleTime: 0,
  });
}

export interface AllocationWish {
  lifts: number[];
  drift: number;
  runs: number;
  seed: number;
}

export function useRehearseAllocation(key: string) {
  const replace = useReplace();
  return useMutation({
    mutationFn: (body: AllocationWish) =>
      take(client.POST("/api/v1/experiments/{key}/allocation/rehearsal", { params: { path: { key } }, body })),
    onSuccess: (rehearsal) => replace(keys.allocationRehearsal(key), { rehearsal }),
  });
}
