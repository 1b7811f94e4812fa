/** The round mark of an account. */
export const ROUND = "flex size-7 shrink-0 items-center justify-center rounded-full bg-base-300 text-xs font-semibold";

export function initialsOf(name: string): string {
  return name
    .split(" ")
    .map((part) => part[0])
    .join("")
    .slice(0, 2)
    .toUpperCase();
}
