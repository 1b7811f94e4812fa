/** What charts have in common. */

/** How high a chart is where nobody says otherwise, in pixels: the place that is held for it until it is drawn is as high. */
export const HEIGHT = 210;

/** The text at the ticks of an axis. */
export const TICK = { fontSize: 12, fill: "var(--color-neutral)" };
