/** "2.5%"; whole where nothing is lost. */
export function share(value: number): string {
  const percent = value * 100;
  return `${percent >= 20 ? Math.round(percent) : Number(percent.toFixed(1))}%`;
}

/** "41,600 EUR". */
export function money(value: number, currency: string): string {
  return `${Math.round(value).toLocaleString("en-GB")} ${currency}`;
}

/** Cents as money with its cents: "1,234.50". */
export function amount(cents: number): string {
  return (cents / 100).toLocaleString("en-GB", { minimumFractionDigits: 2, maximumFractionDigits: 2 });
}

/** A figure to three places, as the core writes a return: "2.57", "0.0301", "−41.3". */
export function figure(value: number | null | undefined): string {
  if (value === null || value === undefined) return "without limit";
  const decimals = value === 0 ? 2 : Math.min(Math.max(2 - Math.floor(Math.log10(Math.abs(value))), 0), 8);
  const text = Math.abs(value).toLocaleString("en-GB", {
    minimumFractionDigits: decimals,
    maximumFractionDigits: decimals,
  });
  return value < 0 && /[1-9]/.test(text) ? `−${text}` : text;
}

/** Whole, with its sign: "−107,000". */
export function whole(value: number | null | undefined): string {
  if (value === null || value === undefined) return "without limit";
  const text = Math.abs(Math.round(value)).toLocaleString("en-GB");
  return Math.round(value) < 0 ? `−${text}` : text;
}

/** "1.37 to 3.79", of an interval that may be open. */
export function between(bounds: { low: number | null; high: number | null }, write: (value: number) => string): string {
  const side = (value: number | null) => (value === null ? "without limit" : write(value));
  return `${side(bounds.low)} to ${side(bounds.high)}`;
}

/** The name of a column in words. */
export function named(column: string): string {
  return column.replaceAll("_", " ");
}

/** With a capital to begin with. */
export function capital(words: string): string {
  return words.charAt(0).toUpperCase() + words.slice(1);
}
