import type { DocketRow, Reading } from "../api/client";

type Verdict = Reading["verdict"];
export type VerdictTone = "ahead" | "behind" | "open" | "unsound" | "mind";

interface VerdictLook {
  name: string;
  glyph: string;
  tone: VerdictTone;
}

/** How each verdict is named and marked; the sentences come from the server. */
export const VERDICTS: Record<Verdict, VerdictLook> = {
  winner: { name: "Winner", glyph: "▲", tone: "ahead" },
  keep_control: { name: "Keep control", glyph: "▼", tone: "behind" },
  no_worthwhile_difference: { name: "No worthwhile difference", glyph: "≈", tone: "open" },
  trade_off: { name: "Trade-off", glyph: "⇄", tone: "mind" },
  keep_collecting: { name: "Keep collecting", glyph: "…", tone: "open" },
  unresolved: { name: "Unresolved", glyph: "?", tone: "mind" },
  unsound: { name: "Unsound", glyph: "✕", tone: "unsound" },
};

export const TONE_CLASS: Record<VerdictTone, string> = {
  ahead: "tone-ahead",
  behind: "tone-behind",
  open: "tone-open",
  unsound: "tone-unsound",
  mind: "tone-mind",
};

export const TONE_COLOUR: Record<VerdictTone, string> = {
  ahead: "var(--ahead)",
  behind: "var(--behind)",
  open: "var(--open)",
  unsound: "var(--color-error)",
  mind: "var(--color-warning)",
};

export const STATES: Record<DocketRow["state"], string> = {
  draft: "in preparation",
  scheduled: "scheduled",
  running: "running",
  paused: "paused",
  ended: "ended",
  decided: "decided",
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
