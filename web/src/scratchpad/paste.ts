import { LETTERS, vocabulary } from "../api/vocabulary";
import { bareName, isHeaded, pastedCells } from "../lib/paste";
import { BLANK, MONEY, type PadArm } from "./address";

const FIELDS = ["name", "units", "conversions", ...MONEY] as const;
export type Field = (typeof FIELDS)[number];

/** As the vocabulary calls what stands in a field. */
const columnOf = (field: Field): string => (field === "name" ? "variant" : field);

/** Which column a field is in by the headings, -1 where it is in none; each column is of one field. */
function byHeadings(names: string[]): Record<Field, number> {
  const bare = names.map(bareName);
  const taken = new Set<number>();
  const place = (field: Field) => {
    const at = bare.findIndex((name, i) => !taken.has(i) && vocabulary.columns[columnOf(field)]?.includes(name));
    taken.add(at);
    return at;
  };
  return Object.fromEntries(FIELDS.map((field) => [field, place(field)])) as Record<Field, number>;
}

/**
 * The variants with a table of a spreadsheet laid over them, from a field of one of them on or by the headings of its columns; why not,
 * where that cannot be; null for what is no table.
 */
export function pasteArms(arms: PadArm[], text: string, field: Field, row: number): PadArm[] | string | null {
  const table = pastedCells(text);
  if (table.length === 1 && table[0]?.length === 1) return null;
  const headed = isHeaded(table);
  const rows = headed ? table.slice(1) : table;
  const from = FIELDS.indexOf(field);
  const width = Math.max(...rows.map((cells) => cells.length));
  const places = headed
    ? byHeadings(table[0] ?? [])
    : (Object.fromEntries(FIELDS.map((one, at) => [one, at - from])) as Record<Field, number>);
  const unknown = headed
    ? (table[0] ?? []).filter((_, at) => !Object.values(places).includes(at))
    : rows.some((cells) => from + cells.length > FIELDS.length)
      ? [`column ${FIELDS.length - from + 1} of ${width}`]
      : [];
  if (unknown.length > 0)
    return `Nothing was pasted: what is meant by ${unknown.join(", ")}? Columns are ${FIELDS.map(columnOf).join(", ")}.`;
  if (row + rows.length > LETTERS.length)
    return `Nothing was pasted: ${rows.length} rows from ${LETTERS[row]} on are more than ${LETTERS.length} variants.`;
  return Array.from({ length: Math.max(arms.length, row + rows.length) }, (_, index) => {
    const arm = arms[index] ?? BLANK;
    const cells = rows[index - row];
    const cell = (one: Field) => cells?.[places[one]] ?? arm[one];
    return Object.fromEntries(FIELDS.map((one) => [one, cell(one)])) as unknown as PadArm;
  });
}
