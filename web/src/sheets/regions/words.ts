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
