import { cleanup, fireEvent, screen, waitFor, within } from "@testing-library/react";
import { afterEach, describe, expect, it } from "vitest";
import { keys } from "../api/keys";
import type { Delivery } from "../api/webhooks";
import { SESSION, serve, show } from "../test/kit";
import { becameOf, Webhooks } from "./Webhooks";

afterEach(cleanup);

const KINDS = { "decision.made": "a decision was recorded", "look.taken": "a planned look was taken" };
const HOOK = {
  id: 3,
  name: "Team chat",
  url: "https://chat.example/hook",
  secret: "whsec_abc",
  kinds: ["decision.made"],
  made_by: "Ada",
  made_at: "2026-03-01T09:00:00Z",
  pause: "",
  waiting: 0,
  failed: 1,
  last_sent: null,
};
const SENT = {
  id: 9,
  message: "msg_1",
  kind: "decision.made",
  at: "2026-03-10T12:00:00Z",
  state: "failed",
  tries: 10,
  due_at: null,
  sent_at: "2026-03-10T12:00:05Z",
  status: 500,
  problem: "",
  name: "Fare calendar",
  sentence: "Decided: B",
  data: {},
} satisfies Delivery;
const admin = { ...SESSION, account: { ...SESSION.account, may_administer: true } };
const known = (hooks: unknown[], session: unknown = admin) =>
  [
    [keys.session, session],
    [keys.webhooks, { kinds: KINDS, webhooks: hooks }],
    [keys.deliveries(3), { items: [SENT], count: 1 }],
  ] as [readonly unknown[], unknown][];

describe("webhooks", () => {
  it("are for admins", () => {
    const { container } = show(<Webhooks />, { known: known([HOOK], SESSION) });
    expect(container.textContent).toBe("");
  });

  it("show what was sent, and send it again", async () => {
    const again = { ...SENT, state: "waiting", tries: 0 };
    const calls = serve({
      "POST /webhooks/3/deliveries/9/again": [{ body: again }],
      "GET /webhooks": [{ body: { kinds: KINDS, webhooks: [HOOK] } }],
      "GET /webhooks/3/deliveries": [{ body: { items: [again], count: 1 } }],
    });
    const { container } = show(<Webhooks />, { known: known([HOOK]) });
    expect(container.textContent).toContain("1 message not taken");
    expect(screen.queryByText("whsec_abc")).toBeNull();
    fireEvent.click(screen.getByRole("button", { name: "Secret" }));
    expect(screen.getByText("whsec_abc")).toBeTruthy();
    fireEvent.click(screen.getByRole("button", { name: "Log" }));
    const log = screen.getByRole("region", { name: "What Team chat was sent" });
    expect(log.textContent).toContain("Fare calendar: Decided: B");
    expect(log.textContent).toContain("not taken, answered 500, after 10 tries");
    fireEvent.click(within(log).getByRole("button", { name: /^Send again: decision.made of / }));
    await waitFor(() => expect(log.textContent).toContain("about to be sent"));
    expect(calls[0]?.path).toBe("/webhooks/3/deliveries/9/again");
  });

  it("are made for the kinds that are chosen, and a wrong address is said with what was typed left there", async () => {
    const message = "url (http://chat.example) must be like https://www.example.com/hook";
    const calls = serve({ "POST /webhooks": [{ status: 422, body: { errors: [{ field: "url", message }] } }] });
    show(<Webhooks />, { known: known([]) });
    expect(screen.getByText("Nothing is sent anywhere.")).toBeTruthy();
    fireEvent.change(screen.getByLabelText("System"), { target: { value: "Team chat" } });
    fireEvent.change(screen.getByLabelText("Its address"), { target: { value: "http://chat.example" } });
    fireEvent.click(screen.getByLabelText("a planned look was taken"));
    fireEvent.click(screen.getByRole("button", { name: "Make a webhook" }));
    expect((await screen.findByRole("alert")).textContent).toBe(message);
    expect(calls[0]?.body).toEqual({ name: "Team chat", url: "http://chat.example", kinds: ["decision.made"] });
    expect(screen.getByLabelText("Its address")).toHaveProperty("value", "http://chat.example");
  });

  it.each([
    [{ state: "delivered", status: 204 }, "taken, answered 204"],
    [{ state: "failed", status: null, problem: "ConnectTimeout", tries: 1 }, "not taken, ConnectTimeout, after 1 try"],
    [{ state: "waiting", tries: 0 }, "about to be sent"],
    [
      { state: "waiting", tries: 2, status: 503, due_at: "2026-03-10T12:05:00Z" },
      "answered 503; tried again 10 Mar, 12:05",
    ],
  ] as const)("says what became of a message: %o", (changes, words) => {
    expect(becameOf({ ...SENT, ...changes }, "UTC")).toBe(words);
  });
});
