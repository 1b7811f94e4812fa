import { useMutation, useQueryClient } from "@tanstack/react-query";
import { client, take, type Schemas, type Session } from "./client";
import { useSession } from "./hooks";
import { keys } from "./keys";

export type Preferences = Schemas["Preferences"];

/** How who is signed in wants to see and use the application; undefined until it is known. */
export function usePreferences(): Preferences | undefined {
  return useSession().data?.preferences;
}

/** Chooses at once; what the server refuses is as it was before. */
export function useChoose() {
  const cache = useQueryClient();
  const put = (preferences: Preferences) =>
    cache.setQueryData<Session>(keys.session, (session) => session && { ...session, preferences });
  return useMutation({
    mutationFn: (body: Partial<Preferences>) => take(client.PATCH("/api/v1/me/preferences", { body })),
    onMutate: (changes) => {
      const before = cache.getQueryData<Session>(keys.session)?.preferences;
      if (before) put({ ...before, ...changes });
      return before;
    },
    onSuccess: put,
    onError: (_error, _changes, before) => before && put(before),
  });
}
