/** The one reader of numbers that people type, and their text in the reader's own way of writing. */

/** How the person at the screen writes numbers. */
const LOCALE = navigator.language;

const marks = new Map<string, string>();

function decimalMark(locale: string): string {
  const known = marks.get(locale);
  if (known !== undefined) return known;
  const mark = new Intl.NumberFormat(locale).formatToParts(1.5).find((part) => part.type === "decimal")?.value ?? ".";
  marks.set(locale, mark);
  return mark;
}

/** How often ten is multiplied by itself for what people write for thousands and millions. */
const THOUSANDS: Record<string, string> = { k: "e3", m: "e6" };
const GROUPED = /^\d{1,3}(?:[.,]\d{3})+$/;

/**
 * A number as people type it: "2,900", "4.2 %", "4,2", "1,234.5", "1.234,5", "−2", "1e4", "8k", "1.2m". null for nothing, NaN for what is no
 * number. Where a mark could part thousands or decimals ("1,234"), the way of writing of `locale` decides.
 */
export function readNumber(text: string, locale: string = LOCALE): number | null {
  const bare = text
    .replace(/[\s\u00a0\u2009\u202f'’]/g, "")
    .replace(/[\u2212\u2013]/g, "-")
    .replace(/%$/, "");
  if (bare === "") return null;
  const parts = /^([+-]?)([\d.,]*\d)(e[+-]?\d{1,3}|[km])?$/i.exec(bare);
  if (!parts) return NaN;
  const [, sign = "", digits = "", size = ""] = parts;
  const plain = withPoint(digits, decimalMark(locale));
  const exponent = THOUSANDS[size.toLowerCase()] ?? size;
  return plain === null ? NaN : Number(`${sign}${plain}${exponent}`);
}

/**
 * The two numbers that a text may mean: "8.000" where the point parts decimals is written by nobody who means 8, and by many who mean
 * eight thousand. null where it can mean one only.
 */
export function twoMeanings(text: string, locale: string = LOCALE): [number, number] | null {
  const digits = text.trim().replace(/[\s%]+$/, "");
  const mark = decimalMark(locale);
  const [whole = "", zeros = "", more] = digits.split(mark);
  if (more !== undefined || zeros !== "000" || !/^[1-9]\d{0,2}$/.test(whole)) return null;
  return [Number(whole), Number(whole) * 1000];
}

/** The digits with a point for decimals and nothing between thousands; null where the marks make no sense. */
function withPoint(digits: string, mark: string): string | null {
  const last = Math.max(digits.lastIndexOf("."), digits.lastIndexOf(","));
  if (last < 0) return digits;
  const separator = digits[last] ?? "";
  const [before, after] = [digits.slice(0, last), digits.slice(last + 1)];
  const other = separator === "." ? "," : ".";
  const decimals = (whole: string) => `${whole.replaceAll(other, "")}.${after}`;
  if (before.includes(other)) return GROUPED.test(before) && !before.includes(separator) ? decimals(before) : null;
  if (before.includes(separator)) return GROUPED.test(digits) ? digits.replaceAll(separator, "") : null;
  const thousands = GROUPED.test(digits) && before !== "0";
  return thousands && separator !== mark ? before + after : decimals(before);
}

/** What was typed as a text that reads alike for everybody, such as in an address; as it is where it is no number. */
export function canonical(text: string, locale: string = LOCALE): string {
  const number = readNumber(text, locale);
  if (number === null) return "";
  return Number.isNaN(number) ? text : String(number);
}

/** The number of a canonical text. */
export function fromCanonical(text: string): number | null {
  return readNumber(text, "en");
}

/** A number for a field, with the decimal mark of the person and no marks between thousands. */
export function numberText(value: number | null | undefined, locale: string = LOCALE): string {
  return value === null || value === undefined ? "" : String(value).replace(".", decimalMark(locale));
}

/** A share for a field in per cent: 0.05 → "5". */
export function shareText(value: number | null | undefined, locale: string = LOCALE): string {
  return numberText(value === null || value === undefined ? null : Number((value * 100).toPrecision(10)), locale);
}
