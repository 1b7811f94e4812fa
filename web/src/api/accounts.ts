import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { client, take, type Schemas } from "./client";
import { askAgain, keys, useReplace } from "./keys";

export type Me = Schemas["Me"];
export type AccountLine = Schemas["AccountLine"];
export type FullAccount = Schemas["AccountOut"];
export type Invited = Schemas["InvitedOut"];
export type Token = Schemas["TokenOut"];
export type NewToken = Schemas["NewTokenOut"];
export type Workspace = Schemas["WorkspaceOut"];
export type Role = AccountLine["role"];
type TokenIn = Schemas["TokenIn"];

/** One's own account. */
export function useMe() {
  return useQuery({ queryKey: keys.me, queryFn: () => take(client.GET("/api/v1/me")) });
}

/** What one does with one's own account; each answers with it as it then is, or with what is shown once. */
export function useOwnActions() {
  const cache = useQueryClient();
  const replace = useReplace();
  const onSuccess = (me: Me) => {
    void replace(keys.me, me);
    void askAgain(cache, keys.session);
  };
  const stale = () => askAgain(cache, keys.me);
  return {
    edit: useMutation({
      mutationFn: (body: Schemas["OwnChanges"]) => take(client.PATCH("/api/v1/me", { body })),
      onSuccess,
    }),
    changePassword: useMutation({
      mutationFn: (body: Schemas["PasswordChanged"]) => take(client.POST("/api/v1/me/password", { body })),
      onSuccess,
    }),
    beginFactor: useMutation({
      mutationFn: (password: string) => take(client.POST("/api/v1/me/second-factor", { body: { password } })),
    }),
    confirmFactor: useMutation({
      mutationFn: (code: string) => take(client.POST("/api/v1/me/second-factor/confirm", { body: { code } })),
      onSuccess: stale,
    }),
    renewCodes: useMutation({
      mutationFn: (password: string) =>
        take(client.POST("/api/v1/me/second-factor/recovery-codes", { body: { password } })),
      onSuccess: stale,
    }),
    removeFactor: useMutation({
      mutationFn: (password: string) => take(client.POST("/api/v1/me/second-factor/remove", { body: { password } })),
      onSuccess,
    }),
    endSession: useMutation({
      mutationFn: (number: number) =>
        take(client.DELETE("/api/v1/me/sessions/{number}", { params: { path: { number } } })),
      onSuccess,
    }),
    endOthers: useMutation({ mutationFn: () => take(client.DELETE("/api/v1/me/sessions")), onSuccess }),
    makeCalendar: useMutation({ mutationFn: () => take(client.POST("/api/v1/me/calendar")), onSuccess }),
    removeCalendar: useMutation({ mutationFn: () => take(client.DELETE("/api/v1/me/calendar")), onSuccess }),
    makeToken: useMutation({
      mutationFn: (body: TokenIn) => take(client.POST("/api/v1/me/tokens", { body })),
      onSuccess: stale,
    }),
    withdrawToken: useMutation({
      mutationFn: (number: number) =>
        take(client.DELETE("/api/v1/me/tokens/{number}", { params: { path: { number } } })),
      onSuccess: stale,
    }),
  };
}

export function useAccounts() {
  return useQuery({
    queryKey: keys.accounts,
    queryFn: () => take(client.GET("/api/v1/accounts", { params: { query: { limit: 500 } } })),
  });
}

export function useAccount(username: string) {
  return useQuery({
    queryKey: keys.account(username),
    queryFn: () => take(client.GET("/api/v1/accounts/{username}", { params: { path: { username } } })),
  });
}

export function useAccountLog() {
  return useQuery({
    queryKey: keys.accountLog,
    queryFn: () => take(client.GET("/api/v1/account-log", { params: { query: { limit: 50 } } })),
  });
}

/** Invite a person, or make an account for a system. */
export function useMakeAccount() {
  const stale = useStaleAccounts();
  return useMutation({
    mutationFn: (body: Schemas["AccountIn"]) => take(client.POST("/api/v1/accounts", { body })),
    onSuccess: stale,
  });
}

/** What an admin does with an account. */
export function useAccountActions(username: string) {
  const onSuccess = useStaleAccounts();
  const at = { params: { path: { username } } };
  return {
    edit: useMutation({
      mutationFn: (body: Schemas["AccountChanges"]) =>
        take(client.PATCH("/api/v1/accounts/{username}", { ...at, body })),
      onSuccess,
    }),
    sendLink: useMutation({
      mutationFn: () => take(client.POST("/api/v1/accounts/{username}/link", at)),
      onSuccess,
    }),
    deactivate: useMutation({
      mutationFn: (heir: string | null) =>
        take(client.POST("/api/v1/accounts/{username}/deactivate", { ...at, body: { hand_over_to: heir } })),
      onSuccess,
    }),
    reactivate: useMutation({
      mutationFn: () => take(client.POST("/api/v1/accounts/{username}/reactivate", at)),
      onSuccess,
    }),
    resetFactor: useMutation({
      mutationFn: () => take(client.DELETE("/api/v1/accounts/{username}/second-factor", at)),
      onSuccess,
    }),
    endSessions: useMutation({
      mutationFn: () => take(client.DELETE("/api/v1/accounts/{username}/sessions", at)),
      onSuccess,
    }),
    makeToken: useMutation({
      mutationFn: (body: TokenIn) => take(client.POST("/api/v1/accounts/{username}/tokens", { ...at, body })),
      onSuccess,
    }),
    withdrawToken: useMutation({
      mutationFn: (number: number) =>
        take(client.DELETE("/api/v1/accounts/{username}/tokens/{number}", { params: { path: { username, number } } })),
      onSuccess,
    }),
  };
}

function useStaleAccounts() {
  const cache = useQueryClient();
  return () => {
    void askAgain(cache, keys.accounts);
    void askAgain(cache, keys.accountLog);
  };
}

/** Whether this installation is well. */
export function useInstallation() {
  return useQuery({
    queryKey: keys.installation,
    queryFn: () => take(client.GET("/api/v1/installation")),
    refetchInterval: 60_000,
  });
}

/** The workspace, and setting what admins set of it. */
export function useWorkspace() {
  const cache = useQueryClient();
  const replace = useReplace();
  const query = useQuery({ queryKey: keys.workspace, queryFn: () => take(client.GET("/api/v1/workspace")) });
  const edit = useMutation({
    mutationFn: (body: Schemas["WorkspaceChanges"]) => take(client.PATCH("/api/v1/workspace", { body })),
    onSuccess: (answer) => {
      void replace(keys.workspace, answer);
      void askAgain(cache, keys.session);
      void askAgain(cache, keys.accountLog);
    },
  });
  return { query, edit };
}

/** Whose password a link is for. */
export function usePasswordLink(place: string, token: string) {
  return useQuery({
    queryKey: ["password-link", place, token],
    queryFn: () => take(client.GET("/api/v1/password-links/{place}/{token}", { params: { path: { place, token } } })),
    retry: false,
  });
}

export function useChoosePassword() {
  return useMutation({
    mutationFn: (body: Schemas["PasswordChosen"]) => take(client.POST("/api/v1/passwords", { body })),
  });
}

/** Ask for a mail with a link to choose another password by. */
export function useAskForLink() {
  return useMutation({
    mutationFn: (name: string) => client.POST("/api/v1/password-links", { body: { name } }),
  });
}
