/** A share of visitors, "12%", "0.8%"; a dash where there is none. */
export function shareText(share: number | null | undefined): string {
  if (share == null) return "–";
  const size = share * 100;
  return `${size.toFixed(size > 0 && size < 9.95 ? 1 : 0)}%`;
}

/** A difference of shares in percentage points, with its sign. */
export function points(value: number): string {
  const text = Math.abs(value * 100).toFixed(1);
  return Number(text) === 0 ? "0.0" : `${value > 0 ? "+" : "\u2212"}${text}`;
}
