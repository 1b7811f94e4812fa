import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { client, take, type Schemas } from "./client";
import { askAgain, keys } from "./keys";

export type Webhook = Schemas["WebhookOut"];
export type Delivery = Schemas["DeliveryOut"];

/** The systems that are sent what happens; admins only. */
export function useWebhooks(enabled: boolean) {
  return useQuery({ queryKey: keys.webhooks, queryFn: () => take(client.GET("/api/v1/webhooks")), enabled });
}

/** What one was sent. */
export function useDeliveries(number: number) {
  return useQuery({
    queryKey: keys.deliveries(number),
    queryFn: () =>
      take(client.GET("/api/v1/webhooks/{number}/deliveries", { params: { path: { number }, query: { limit: 20 } } })),
    refetchInterval: 20_000,
  });
}

export function useWebhookActions() {
  const cache = useQueryClient();
  const onSuccess = () => void askAgain(cache, keys.webhooks);
  return {
    make: useMutation({
      mutationFn: (body: Schemas["WebhookIn"]) => take(client.POST("/api/v1/webhooks", { body })),
      onSuccess,
    }),
    edit: useMutation({
      mutationFn: ({ number, ...body }: Schemas["WebhookChanges"] & { number: number }) =>
        take(client.PATCH("/api/v1/webhooks/{number}", { params: { path: { number } }, body })),
      onSuccess,
    }),
    remove: useMutation({
      mutationFn: (number: number) => client.DELETE("/api/v1/webhooks/{number}", { params: { path: { number } } }),
      onSuccess,
    }),
    tryOut: useMutation({
      mutationFn: (number: number) =>
        take(client.POST("/api/v1/webhooks/{number}/test", { params: { path: { number } } })),
      onSuccess,
    }),
    again: useMutation({
      mutationFn: ({ number, delivery }: { number: number; delivery: number }) =>
        take(
          client.POST("/api/v1/webhooks/{number}/deliveries/{delivery}/again", {
            params: { path: { number, delivery } },
          }),
        ),
      onSuccess,
    }),
  };
}
