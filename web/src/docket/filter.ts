import type { DocketFilter } from "../api/hooks";

/** What the docket may be sorted by, and how that is called. */
export const SORTS = {
  urgency: "What needs you first",
  "-changed": "Changed last",
  changed: "Changed longest ago",
  "-started": "Started last",
  started: "Started first",
  "-lift": "Largest lift",
  lift: "Smallest lift",
  name: "Name, A to Z",
  "-name": "Name, Z to A",
} as const satisfies Record<NonNullable<DocketFilter["sort"]>, string>;

/** The filters as the address names them: each is one word of it, and none is there that is not chosen. */
export const PARTS = ["area", "owner", "metric", "state", "verdict", "since"] as const;
export type Part = (typeof PARTS)[number];

const isState = (text: string) => text as NonNullable<DocketFilter["state"]>[number];

/** What an address asks for; what it does not name is not sent. */
export function filterOf(params: URLSearchParams): DocketFilter {
  const said = (name: string) => params.get(name) ?? "";
  const sort = said("sort");
  return {
    ...(said("search") && { search: said("search") }),
    ...(said("area") && { area: said("area") }),
    ...(said("owner") && { owner: said("owner") }),
    ...(said("metric") && { metric: said("metric") }),
    ...(said("state") && { state: [isState(said("state"))] }),
    ...(said("verdict") && { verdict: [said("verdict")] }),
    ...(said("since") && { changed_since: said("since") }),
    ...(said("mine") === "yes" && { mine: true }),
    ...(said("archive") === "yes" && { archived: true }),
    ...(said("changed") === "yes" && { changed: true }),
    ...(sort in SORTS && sort !== "urgency" && { sort: sort as keyof typeof SORTS }),
  };
}

/** Whether less than all that is there to do is asked for. */
export function narrows(filter: DocketFilter): boolean {
  return Object.keys(filter).some((name) => name !== "archived" && name !== "sort");
}
