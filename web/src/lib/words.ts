import type { DocketRow } from "../api/client";
import type { Tone } from "../api/vocabulary";

export const TONE_CLASS: Record<Tone, string> = {
  ahead: "tone-ahead",
  behind: "tone-behind",
  same: "tone-open",
  open: "tone-open",
  unsound: "tone-unsound",
  choice: "tone-warning",
};

export const TONE_COLOUR: Record<Tone, string> = {
  ahead: "var(--ahead)",
  behind: "var(--behind)",
  same: "var(--open)",
  open: "var(--open)",
  unsound: "var(--color-error)",
  choice: "var(--color-warning)",
};

export const STATES: Record<DocketRow["state"], string> = {
  draft: "in preparation",
  scheduled: "scheduled",
  running: "running",
  paused: "paused",
  ended: "ended",
  decided: "decided",
  tailored: "given without a test",
  archived: "archived",
};

export const SHEETS = ["brief", "sizing", "traffic", "watch", "evidence", "verdict"] as const;
export type SheetName = (typeof SHEETS)[number];
export const SHEET_TITLES: Record<SheetName, string> = {
  brief: "Brief",
  sizing: "Sizing",
  traffic: "Traffic",
  watch: "Watch",
  evidence: "Evidence",
  verdict: "Verdict",
};
/** All places of an experiment. */
export const PLACE_TITLES: Record<string, string> = { ...SHEET_TITLES, rehearsal: "Rehearsal", ledger: "Ledger" };
