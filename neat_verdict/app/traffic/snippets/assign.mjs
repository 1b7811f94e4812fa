// Assigns units without asking the server, from the downloaded list of running experiments.
// The same algorithm as the server's; the list carries test vectors to hold it against.
//
//   import { assign } from "./assign.mjs";
//   const { variant, parameters, reason } = assign(list.experiments[0], "visitor-1", { device: "phone" });
//
// A unit keeps its variant only as long as weights and audience stay. Where traffic follows the evidence they change with every
// epoch: remember the letter that a unit was given and hand it over, assign(experiment, unit, properties, "B").

const MASK = (1n << 64n) - 1n;
const C1 = 0x87c37b91114253d5n;
const C2 = 0x4cf5ad432745937fn;

const rotate = (value, by) => ((value << by) | (value >> (64n - by))) & MASK;
const mixFirst = (k) => (rotate((k * C1) & MASK, 31n) * C2) & MASK;
const mixSecond = (k) => (rotate((k * C2) & MASK, 33n) * C1) & MASK;

function finish(value) {
  value ^= value >> 33n;
  value = (value * 0xff51afd7ed558ccdn) & MASK;
  value ^= value >> 33n;
  value = (value * 0xc4ceb9fe1a85ec53n) & MASK;
  return value ^ (value >> 33n);
}

/** The first 64 bits of MurmurHash3 x64-128 of a text in UTF-8. */
export function hash(seed, text) {
  const bytes = new TextEncoder().encode(text);
  const view = new DataView(bytes.buffer);
  let h1 = BigInt(seed);
  let h2 = BigInt(seed);
  const whole = bytes.length - (bytes.length % 16);
  for (let at = 0; at < whole; at += 16) {
    h1 ^= mixFirst(view.getBigUint64(at, true));
    h1 = ((rotate(h1, 27n) + h2) * 5n + 0x52dce729n) & MASK;
    h2 ^= mixSecond(view.getBigUint64(at + 8, true));
    h2 = ((rotate(h2, 31n) + h1) * 5n + 0x38495ab5n) & MASK;
  }
  let k1 = 0n;
  let k2 = 0n;
  for (let at = bytes.length - 1; at >= whole; at--) {
    if (at - whole >= 8) k2 = (k2 << 8n) | BigInt(bytes[at]);
    else k1 = (k1 << 8n) | BigInt(bytes[at]);
  }
  h1 ^= mixFirst(k1) ^ BigInt(bytes.length);
  h2 ^= mixSecond(k2) ^ BigInt(bytes.length);
  h1 = (h1 + h2) & MASK;
  h2 = (h2 + h1) & MASK;
  return (finish(h1) + finish(h2)) & MASK;
}

/** The point of a text in (0, 1). */
export function point(seed, text) {
  return (Number(hash(seed, text) >> 11n) + 0.5) / 2 ** 53;
}

/**
 * The variant of a unit: { variant, parameters, reason }; `kept` is the letter that it was given before, if any. While a variant is
 * rolled out, `kept` is what the rollout gave it, and `inTest` what it had in the test before.
 */
export function assign(experiment, unit, properties = {}, kept = "", inTest = "") {
  const answer = (position, reason) => ({
    variant: experiment.variants[position].letter,
    parameters: experiment.variants[position].parameters,
    reason,
  });
  if (experiment.rollout) {
    const [letter, reason] = rolledOut(experiment.rollout, unit, properties, kept, inTest);
    return answer(experiment.variants.findIndex((variant) => variant.letter === letter), reason);
  }
  const forced = experiment.variants.findIndex((variant) => variant.letter === experiment.forced[unit]);
  if (forced >= 0) return answer(forced, "forced");
  // Who had a variant that was stopped gets control's, and counts where they were.
  if (kept && experiment.given_up?.includes(kept)) return answer(0, "stopped");
  const before = experiment.variants.findIndex((variant) => variant.letter === kept);
  if (before >= 0) return answer(before, "assigned");
  if (!admits(experiment.audience, properties)) return answer(0, "audience");
  const slice = experiment.exclusion;
  if (slice) {
    const at = point(3, `${slice.group}/${unit}`);
    if (!(slice.start <= at && at < slice.end)) return answer(0, "exclusion");
  }
  const participation = experiment.combinations?.participation ?? experiment.participation;
  if (participation < 1 && point(1, `${experiment.salt}/${unit}`) >= participation) return answer(0, "participation");
  let best = 0;
  let won = 0;
  const own = ownWeights(experiment, unit, properties);
  experiment.variants.forEach((variant, position) => {
    const weight = own ? own[position] : variant.weight;
    const score = -weight / Math.log(point(2, `${experiment.salt}/${variant.letter}/${unit}`));
    if (score > best) [best, won] = [score, position];
  });
  return answer(won, "assigned");
}

/** The weights of the unit's segment, where it has some of its own: by a property, or by the combination of several. */
function ownWeights({ salt, variants, allocated_by, allocated, combinations }, unit, properties) {
  if (!combinations) return allocated_by ? allocated[propertyText(properties[allocated_by])] : undefined;
  if (point(6, `${salt}/${unit}`) < combinations.uniform) return variants.map(() => 1); // even, whatever was seen
  const values = combinations.by.map((name) => `${name}=${[...propertyText(properties[name])].slice(0, 24).join("")}`);
  return combinations.weights[values.join(" & ")];
}

/** By a list: the first line that admits the unit decides; some are held out of what it gives, to measure that. */
function rolledOut({ salt, share, holdout, measured, lines }, unit, properties, kept, inTest) {
  if (share === 0) return ["A", "not_running"];
  const line = lines.find(({ audience }) => admits(audience, properties));
  if (!line || line.variant === "A") return ["A", "audience"];
  if (inTest === line.variant) return [line.variant, "kept"]; // it had this in the test, and is not counted
  const before = measured ? kept : "";
  if (before === line.variant) return [before, "assigned"];
  if (!before && share < 1 && point(1, `${salt}/${unit}`) >= share) return ["A", "participation"];
  if (before === "A" || point(4, `${salt}/${unit}`) < holdout) return ["A", "assigned"];
  return [line.variant, "assigned"];
}

/** A property's value as segments are named by it. */
function propertyText(value) {
  if (value === null || value === undefined || value === "") return "(not known)";
  return String(value).slice(0, 80).replaceAll(" & ", " and ");
}

/** Whether somebody with these properties qualifies: every group must hold. */
export function admits(groups, properties) {
  return groups.every((group) =>
    group.kind === "all"
      ? group.conditions.every((condition) => matches(condition, properties))
      : group.conditions.some((condition) => matches(condition, properties)),
  );
}

function matches({ attribute, operator, values, kind }, properties) {
  const raw = Object.hasOwn(properties, attribute) ? properties[attribute] : null;
  if (raw === null || raw === undefined || raw === "") return false;
  if (operator === "is_set") return true;
  const seen = read(raw, kind);
  if (seen === null) return false;
  const wanted = values.map((value) => read(value, kind));
  switch (operator) {
    case "is":
      return compare(seen, wanted[0]) === 0;
    case "is_not":
      return compare(seen, wanted[0]) !== 0;
    case "any_of":
      return wanted.some((value) => compare(seen, value) === 0);
    case "contains":
      return wanted.some((part) => seen.includes(part));
    case "starts_with":
      return wanted.some((part) => seen.startsWith(part));
    case "ends_with":
      return wanted.some((part) => seen.endsWith(part));
    case "greater":
      return compare(seen, wanted[0]) > 0;
    case "less":
      return compare(seen, wanted[0]) < 0;
    case "between":
      return compare(seen, wanted[0]) >= 0 && compare(seen, wanted[1]) <= 0;
    default:
      return false;
  }
}

/** A value as its kind compares; null where it is none of that kind. */
function read(raw, kind) {
  const text = String(raw).trim();
  switch (kind) {
    case "text":
      return text.toLowerCase() || null;
    case "true_false":
      return { true: true, false: false }[text.toLowerCase()] ?? null;
    case "number":
      return /^[+-]?(?:\d+\.?\d*|\.\d+)(?:e[+-]?\d+)?$/i.test(text) && Number.isFinite(Number(text)) ? Number(text) : null;
    case "date": {
      const day = /^(\d{4}-\d{2}-\d{2})(?:$|[T ])/.exec(text)?.[1];
      const parsed = day && !day.startsWith("0000") ? new Date(`${day}T00:00:00Z`) : null;
      return parsed && !Number.isNaN(parsed.getTime()) && parsed.toISOString().startsWith(day) ? day : null;
    }
    case "version": {
      const found = /^v?(\d{1,9}(?:\.\d{1,9}){0,5})(?:[-+ ].*)?$/.exec(text)?.[1];
      if (!found) return null;
      const parts = found.split(".").map(Number);
      while (parts.length > 1 && parts.at(-1) === 0) parts.pop();
      return parts;
    }
    default:
      return null;
  }
}

function compare(a, b) {
  if (!Array.isArray(a)) return a < b ? -1 : a > b ? 1 : 0;
  for (let place = 0; place < Math.max(a.length, b.length); place++) {
    const difference = (a[place] ?? -1) - (b[place] ?? -1);
    if (difference) return difference;
  }
  return 0;
}
