import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { client, take, type Parameter, type Stretches } from "./client";
import { keys, useStale } from "./keys";

/** The stretches of a fixed split, and what changed between them. */
export function useSplit(key: string) {
  return useQuery({
    queryKey: keys.split(key),
    queryFn: () => take(client.GET("/api/v1/experiments/{key}/split", { params: { path: { key } } })),
  });
}

export interface SplitWish {
  weights: number[];
  from_day: string;
  reason: string;
}

export interface JoinWish extends SplitWish {
  variant: {
    name: string;
    changes: string[];
    parameters: Parameter[];
    link: string;
  };
}

export interface StopWish {
  variant: string;
  afterwards: "" | "keep" | "control";
  on_day: string | null;
  reason: string;
}

/** Share out by another split, stop a variant, let one join, or withdraw a change. */
export function useChangeSplit(key: string) {
  const cache = useQueryClient();
  const stale = useStale();
  const params = { path: { key } };
  const onSuccess = (stretches: Stretches) => {
    cache.setQueryData(keys.split(key), stretches);
    stale("split", key);
  };
  const change = useMutation({
    mutationFn: (body: SplitWish) => take(client.POST("/api/v1/experiments/{key}/split", { params, body })),
    onSuccess,
  });
  const stop = useMutation({
    mutationFn: (body: StopWish) => take(client.POST("/api/v1/experiments/{key}/stopped-variants", { params, body })),
    onSuccess,
  });
  const join = useMutation({
    mutationFn: (body: JoinWish) => take(client.POST("/api/v1/experiments/{key}/joining-variants", { params, body })),
    onSuccess,
  });
  const withdraw = useMutation({
    mutationFn: (number: number) =>
      take(client.DELETE("/api/v1/experiments/{key}/split/{number}", { params: { path: { key, number } } })),
    onSuccess,
  });
  return { change, stop, join, withdraw };
}
