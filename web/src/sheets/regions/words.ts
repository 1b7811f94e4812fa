/** "2.5%"; whole where nothing is lost. */
export function share(value: number): string {
  const percent = value * 100;
  return `${percent >= 20 ? Math.round(percent) : Number(percent.toFixed(1))}%`;
}

/** "41,600 EUR". */
export function money(value: number, currency: string): string {
  return `${Math.round(value).toLocaleString("en-GB")} ${currency}`;
}
