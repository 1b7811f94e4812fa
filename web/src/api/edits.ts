import { patiently } from "../lib/patience";
import {
  client,
  Problem,
  take,
  type Experiment,
  type ExperimentChanges,
  type MetricUseIn,
  type Variant,
} from "./client";

/** Changes of fields; those of a list are made from the experiment as it is when their turn comes. */
export type Change = ExperimentChanges | ((latest: Experiment) => ExperimentChanges);

/** Somebody else has changed the same fields meanwhile. */
export class Clash extends Error {
  constructor(
    readonly mine: ExperimentChanges,
    readonly theirs: ExperimentChanges,
    readonly present: Experiment,
  ) {
    super("Somebody else has changed the same meanwhile");
  }
}

interface Edit {
  change: Change;
  present: Experiment;
  reason: string;
  newRound: boolean;
}
export interface Edited {
  saved: Experiment;
  /** What the fields were before, for whoever wants that again. */
  before: ExperimentChanges;
}

const LONGEST = 60_000; // milliseconds until an answer is no longer waited for

/**
 * Saves a change on the version that it was made from, however long it takes until the server answers. Where others have changed other
 * fields meanwhile it is made on theirs; where they have changed the same ones, Clash is thrown. An answer that was lost on its way is
 * known by the fields being as they were wanted.
 */
export async function saveEdit({ change, present, reason, newRound }: Edit): Promise<Edited> {
  const key = present.key;
  const before = pick(present, changesOf(change, present));
  for (let latest = present; ;) {
    const changes = changesOf(change, latest);
    try {
      const saved = await patiently(() =>
        take(
          client.PATCH("/api/v1/experiments/{key}", {
            params: { path: { key } },
            body: { version: latest.version, changes, reason, new_round: newRound },
            signal: AbortSignal.timeout(LONGEST),
          }),
        ),
      );
      return { saved, before };
    } catch (error) {
      if (!(error instanceof Problem && error.stale)) throw error;
      latest = await patiently(() => take(client.GET("/api/v1/experiments/{key}", { params: { path: { key } } })));
      const theirs = pick(latest, changes);
      if (same(theirs, changes)) return { saved: latest, before };
      if (!same(theirs, before)) throw new Clash(changes, theirs, latest);
    }
  }
}

function changesOf(change: Change, experiment: Experiment): ExperimentChanges {
  return typeof change === "function" ? change(experiment) : change;
}

function same(one: ExperimentChanges, other: ExperimentChanges): boolean {
  const fields = Object.keys(one) as (keyof ExperimentChanges)[];
  return fields.every((field) => JSON.stringify(one[field] ?? null) === JSON.stringify(other[field] ?? null));
}

/** The present values of the fields that are about to change. */
function pick(experiment: Experiment, changes: ExperimentChanges): ExperimentChanges {
  const before = Object.fromEntries(
    Object.keys(changes).map((field) => [field, experiment[field as keyof Experiment]]),
  ) as ExperimentChanges;
  if (changes.variants) before.variants = variantsIn(experiment);
  if (changes.metrics) before.metrics = metricsIn(experiment);
  return before;
}

/** The variants as they are sent back. */
export function variantsIn(experiment: Experiment): Variant[] {
  return experiment.variants.map(({ id, name, changes, parameters, link, address, page_changes, weight }) => ({
    id,
    name,
    changes,
    parameters,
    link,
    address,
    page_changes,
    weight,
  }));
}

/** The metrics as they are sent back. */
export function metricsIn(experiment: Experiment): MetricUseIn[] {
  return experiment.metrics.map(
    ({ name, role, margin, baseline, standard_deviation, before_days, strata, direction }) => ({
      name,
      role,
      margin: margin ?? null,
      baseline: baseline ?? null,
      standard_deviation: standard_deviation ?? null,
      before_days: before_days ?? null,
      strata: strata ?? null,
      direction: direction ?? null,
      new: false,
    }),
  );
}
