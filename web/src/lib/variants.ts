/** Colour of a variant by position; control has none of its own. Always shown with the letter. */
export function variantColour(position: number): string {
  return position === 0 ? "var(--color-neutral)" : `var(--variant-${Math.min(position, 9)})`;
}
