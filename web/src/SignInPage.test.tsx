import { describe, expect, it } from "vitest";
import { hereOrHome } from "./SignInPage";

describe("after signing in", () => {
  it.each([
    ["/experiments/fare-calendar/evidence?x=1#y", "/experiments/fare-calendar/evidence?x=1#y"],
    ["/", "/"],
    ["docket", "/docket"],
    ["//evil.example/", "/"],
    ["/\\evil.example/", "/"],
    ["/\t/evil.example/", "/"],
    ["/\n/evil.example/", "/"],
    ["https://evil.example/", "/"],
    ["javascript:alert(1)", "/"],
    ["http://[", "/"],
    ["/.//evil.example/", "/"],
  ])("one goes on to %j only where that is here", (next, gone) => {
    expect(hereOrHome(next)).toBe(gone);
  });
});
