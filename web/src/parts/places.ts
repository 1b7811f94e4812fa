/** The views that belong to no experiment, with the keys that lead there. */
export const PLACES = [
  { to: "/", title: "Docket", keys: "g d", inBar: true },
  { to: "/casebook", title: "Casebook", keys: "g c", inBar: true },
  { to: "/metrics", title: "Metrics", keys: "g m", inBar: true },
  { to: "/scratchpad", title: "Scratchpad", keys: "g s", inBar: true },
  { to: "/notices", title: "Notices", keys: "g n", inBar: true },
  { to: "/manual", title: "Manual", keys: "g h", inBar: false },
  { to: "/glossary", title: "Glossary", keys: "g w", inBar: false },
] as const;
