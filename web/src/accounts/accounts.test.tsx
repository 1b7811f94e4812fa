import { cleanup, fireEvent, screen, within } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";
import { keys } from "../api/keys";
import { SESSION, serve, show } from "../test/kit";
import { SignInPage } from "../SignInPage";
import { AccountPage, browserOf } from "./AccountPage";
import { AccountsPage } from "./AccountsPage";

afterEach(cleanup);

describe("where one is signed in", () => {
  it.each([
    [
      "Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/142.0 Safari/537.36",
      "Chrome or alike on Linux",
    ],
    [
      "Mozilla/5.0 (Windows NT 10.0; Win64; x64) AppleWebKit/537.36 Chrome/142.0 Safari/537.36 Edg/142.0",
      "Edge on Windows",
    ],
    [
      "Mozilla/5.0 (iPhone; CPU iPhone OS 18_1 like Mac OS X) AppleWebKit/605.1 Version/18.1 Mobile Safari/604.1",
      "Safari on iOS",
    ],
    ["Mozilla/5.0 (Android 15; Mobile; rv:144.0) Gecko/144.0 Firefox/144.0", "Firefox on Android"],
    ["curl/8.11", "curl/8.11"],
    ["", "A browser that says nothing of itself"],
  ])("%s is called %s", (agent, words) => {
    expect(browserOf(agent)).toBe(words);
  });
});

const type = (label: string, text: string) =>
  fireEvent.change(screen.getByLabelText(label), { target: { value: text } });
const nobody = [[keys.session, { ...SESSION, account: null, provider: "Tidewick staff" }]] as [
  readonly unknown[],
  unknown,
][];

describe("signing in", () => {
  it("asks for a code once the password is right, and says what is wrong with one at its field", async () => {
    const refused = { code: "not-accepted", errors: [{ field: "code", message: "code (1) is not the one" }] };
    const calls = serve({
      "POST /session": [
        { status: 401, body: { code: "second-factor", title: "send the code too" } },
        { status: 422, body: refused },
      ],
    });
    window.history.pushState({}, "", "/sign-in");
    show(<SignInPage />, { known: nobody });
    type("Name", "ines");
    type("Password", "nine-cabins");
    fireEvent.click(screen.getByRole("button", { name: "Sign in" }));
    const code = await screen.findByLabelText("Code");
    expect(document.activeElement).toBe(code);
    expect(screen.queryByRole("alert")).toBeNull();
    fireEvent.change(code, { target: { value: "1" } });
    fireEvent.click(screen.getByRole("button", { name: "Sign in" }));
    expect((await screen.findByRole("alert")).textContent).toBe("code (1) is not the one");
    expect(code.getAttribute("aria-invalid")).toBe("true");
    expect(calls.map((call) => call.body)).toEqual([
      { username: "ines", password: "nine-cabins", code: "" },
      { username: "ines", password: "nine-cabins", code: "1" },
    ]);
    fireEvent.click(screen.getByRole("button", { name: "Somebody else" }));
    expect(screen.getByLabelText("Password")).toBeTruthy();
  });

  it.each([
    ["unknown", "Ask an admin to invite you"],
    ["away", "It does not answer just now"],
    ["something-new", "Try again."],
  ])("says why the provider did not open it: %s", (why, words) => {
    vi.stubGlobal("location", { ...window.location, search: `?refused=${why}&next=%2Fcasebook` });
    show(<SignInPage />, { known: nobody });
    expect(screen.getByRole("alert").textContent).toContain(`You were not signed in with Tidewick staff.`);
    expect(screen.getByRole("alert").textContent).toContain(words);
    const way = screen.getByRole("link", { name: "Sign in with Tidewick staff" });
    expect(way.getAttribute("href")).toBe("/sign-in/provider?next=%2Fcasebook");
    vi.unstubAllGlobals();
  });
});

const LINE = {
  username: "mona",
  display_name: "Mona Orrell",
  email: "mona@tidewick.example",
  role: "analyst",
  state: "active",
  service: false,
  every_right: false,
  second_factor: false,
  last_login: null,
};
const INES = { ...LINE, username: "ines", display_name: "ines", email: "ines@tidewick.example", state: "invited" };
const ADA = { ...LINE, username: "ada", display_name: "Ada Fenwick", role: "admin" };
const HELD = {
  ...LINE,
  first_name: "Mona",
  last_name: "Orrell",
  sessions: 2,
  keys: [{ name: "booking server", where: "nv_abc…" }],
  links: [],
  tokens: [],
  schedules: ["sailings"],
  experiments: [{ name: "Fare calendar", where: "fare-calendar" }],
};
const ME = {
  username: "ada",
  display_name: "Ada Fenwick",
  first_name: "Ada",
  last_name: "Fenwick",
  email: "ada@tidewick.example",
  role: "admin",
  has_password: true,
  second_factor: true,
  codes_left: 1,
  sessions: [],
  identities: [],
  tokens: [],
  scopes: { read: "read everything" },
  calendar: "/api/v1/calendar/abc.ics",
};
const admin = [
  [keys.session, { ...SESSION, account: { ...SESSION.account, username: "ada", may_administer: true } }],
  [keys.accounts, { items: [ADA, INES, LINE], count: 3 }],
  [keys.accountLog, { items: [], count: 0 }],
  [keys.account("mona"), HELD],
  [keys.account("ada"), { ...HELD, ...ADA }],
  [keys.me, ME],
  [
    keys.installation,
    {
      checks: [
        { name: "disk", ok: false, detail: "0.1 GiB are free" },
        { name: "scheduler", ok: true, detail: "" },
      ],
      scheduler_at: "2026-03-10T03:00:00Z",
      scheduler_did: { notices: 2 },
    },
  ],
  [keys.workspace, { name: "Tidewick", time_zone: "UTC", currency: "EUR", longest_run_weeks: 13, zone_stands: true }],
] as [readonly unknown[], unknown][];

describe("accounts", () => {
  it("are for admins", () => {
    show(<AccountsPage />, { known: [[keys.session, SESSION]] });
    expect(screen.getByText("Admins keep the accounts")).toBeTruthy();
  });

  it("show a link to pass on where no mail went out", async () => {
    const made = { account: INES, address: "https://verdicts.example/set-password/MQ/abc", mailed: false };
    const calls = serve({ "POST /accounts": [{ status: 201, body: made }] });
    show(<AccountsPage />, { known: admin });
    type("First name", "Ines");
    type("Address of mail", "ines@tidewick.example");
    type("Name to sign in with", "ines");
    fireEvent.click(screen.getByRole("button", { name: "Invite" }));
    expect(await screen.findByText(made.address)).toBeTruthy();
    expect(screen.getByText(/No mail went out/)).toBeTruthy();
    expect(calls[0]?.body).toMatchObject({ username: "ines", role: "stakeholder", service: false });
  });

  it("of somebody else are deactivated, with an heir who can work, and one's own is not", async () => {
    const calls = serve({ "POST /accounts/mona/deactivate": [{ body: { ...HELD, state: "deactivated" } }] });
    show(<AccountsPage />, { known: admin, address: "/accounts?account=mona" });
    const section = screen.getByRole("region", { name: "Account of Mona Orrell" });
    expect(section.textContent).toContain("booking server (nv_abc…)");
    fireEvent.click(within(section).getByRole("button", { name: "Deactivate…" }));
    const dialog = await screen.findByRole("dialog");
    expect(dialog.textContent).toContain("1 key, 0 links, 1 open experiment, 1 lake");
    const heirs = within(dialog)
      .getAllByRole("option")
      .map((one) => one.textContent);
    expect(heirs).toEqual(["End keys and links; experiments stay in the name", "Hand all of it over to Ada Fenwick"]);
    fireEvent.change(within(dialog).getByRole("combobox"), { target: { value: "ada" } });
    fireEvent.click(within(dialog).getByRole("button", { name: "Deactivate" }));
    await vi.waitFor(() => expect(calls[0]?.body).toEqual({ hand_over_to: "ada" }));
    cleanup();
    show(<AccountsPage />, { known: admin, address: "/accounts?account=ada" });
    const own = screen.getByRole("region", { name: "Account of Ada Fenwick" });
    expect(within(own).queryByRole("button", { name: "Deactivate…" })).toBeNull();
    expect(within(own).getByLabelText<HTMLSelectElement>("Role of Ada Fenwick").disabled).toBe(true);
  });
});

describe("the installation", () => {
  it("says what is not well, and what the scheduler did", () => {
    show(<AccountsPage />, { known: admin });
    expect(screen.getByText("1 thing to look after")).toBeTruthy();
    expect(screen.getByText("0.1 GiB are free")).toBeTruthy();
    expect(screen.getByText("ran last 10 Mar, 03:00: notices: 2")).toBeTruthy();
  });
});

describe("one's own account", () => {
  it("asks for the password where the address is another one", async () => {
    const refused = { errors: [{ field: "password", message: "password (not shown) is not your password now" }] };
    const calls = serve({ "PATCH /me": [{ status: 422, body: refused }] });
    show(<AccountPage />, { known: admin });
    expect(screen.queryByLabelText("Your password, for another address")).toBeNull();
    type("Address of mail", "a@tidewick.example");
    type("Your password, for another address", "guess");
    fireEvent.click(screen.getByRole("button", { name: "Save" }));
    expect((await screen.findByRole("alert")).textContent).toContain("is not your password now");
    expect(calls[0]?.body).toMatchObject({ email: "a@tidewick.example", password: "guess" });
    expect(screen.getByLabelText<HTMLInputElement>("Address of mail").value).toBe("a@tidewick.example");
    expect(screen.getByText("on; 1 recovery code left")).toBeTruthy();
    expect(screen.getByText(/\/api\/v1\/calendar\/abc\.ics$/)).toBeTruthy();
  });
});
