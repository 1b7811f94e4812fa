import { useDeferredValue, useState } from "react";
import { Problem, type CountsIn, type Reading } from "../api/client";
import { useSession, useVerdictOf } from "../api/hooks";
import { LETTERS, questionNamed, verdictNamed } from "../api/vocabulary";
import { count, percentText, plural } from "../lib/format";
import { fromCanonical } from "../lib/numbers";
import { TONE_COLOUR } from "../lib/words";
import { Conditions } from "../parts/Conditions";
import { Headline } from "../parts/Headline";
import { Letter } from "../parts/Letter";
import { NewExperiment } from "../parts/NewExperiment";
import { Panel } from "../parts/basics";
import { Method } from "../sheets/evidence/Method";
import { VariantTable } from "../sheets/evidence/VariantTable";
import { BLANK, MONEY, parseSplit, readCounts, writeCounts, type PadArm, type PadRule } from "./address";
import { MoneyPanel } from "./MoneyPanel";
import { pasteArms, type Field } from "./paste";
import { PadNumber } from "./PadNumber";
import { QuestionChoice } from "./QuestionChoice";
import { useAddress } from "./useAddress";

function share(text: string): number {
  return (fromCanonical(text) ?? NaN) / 100;
}

/** The question to the server; null while a count or a number of the rule is missing. */
function asRequest(arms: PadArm[], rule: PadRule): CountsIn | null {
  const [confidence, worthwhile, least] = [
    share(rule.confidence),
    share(rule.worthwhile),
    fromCanonical(rule.least) ?? NaN,
  ];
  const days = rule.days.trim() ? Number(rule.days) : 0;
  const complete = arms.every((arm) => arm.units.trim() && arm.conversions.trim());
  const weights = parseSplit(rule.split, arms.length);
  if (!complete || !weights || ![confidence, worthwhile, least, days].every(Number.isFinite)) return null;
  return {
    arms: arms.map((arm, index) => ({ ...arm, weight: weights[index] ?? 1 })),
    question: rule.question,
    confidence,
    worthwhile_lift: worthwhile,
    least_conversions: least,
    good_direction: "up",
    metric: "conversions",
    days,
  };
}

/** Counts of 2 to 10 variants, judged as they are typed. */
export function CountsPad() {
  const [{ arms, rule }, change] = useAddress(readCounts, ({ arms, rule }) => writeCounts(arms, rule));
  const write = (arms: PadArm[], rule: PadRule) => change({ arms, rule });
  const wanted = asRequest(arms, rule);
  // Typing goes first; the question follows when there is time.
  const asked = useDeferredValue(wanted);
  const answer = useVerdictOf(asked);
  const readable = wanted !== null && asked !== null;
  const problems = readable && answer.error instanceof Problem ? answer.error.fields : {};
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_290px] gap-4 max-lg:grid-cols-1">
      <div className="grid grid-cols-[minmax(0,1fr)] content-start gap-3">
        <Panel
          title="Counts"
          note="units exposed, and how many of them converted; a table of a spreadsheet can be pasted"
        >
          <Arms arms={arms} problems={problems} change={(next) => write(next, rule)} />
          <div className="mt-3 flex flex-wrap gap-5 border-t border-base-300 pt-2">
            <QuestionChoice value={rule.question} change={(question) => write(arms, { ...rule, question })} />
            <PadNumber
              label="Confidence"
              unit="%"
              value={rule.confidence}
              change={(confidence) => write(arms, { ...rule, confidence })}
              error={problems.confidence}
            />
            <PadNumber
              label={questionNamed(rule.question).size_name}
              unit="%"
              value={rule.worthwhile}
              change={(worthwhile) => write(arms, { ...rule, worthwhile })}
              error={problems.worthwhile_lift}
            />
            <PadNumber
              label="Conversions expected"
              unit=""
              value={rule.least}
              change={(least) => write(arms, { ...rule, least })}
              error={problems.least_conversions}
            />
            <PadNumber
              label="Days"
              unit=""
              value={rule.days}
              change={(days) => write(arms, { ...rule, days })}
              error={problems.days}
              optional
            />
            <SplitField value={rule.split} arms={arms.length} change={(split) => write(arms, { ...rule, split })} />
          </div>
        </Panel>
        {readable && answer.data && !answer.error && (
          <>
            <Panel title="Evidence" note={`${percentText(answer.data.reading.interval_confidence)}% intervals`}>
              <VariantTable reading={answer.data.reading} />
            </Panel>
            <MoneyPanel money={answer.data.money} />
            <Method reading={answer.data.reading} />
          </>
        )}
      </div>
      <Answer
        reading={readable && !answer.error ? answer.data?.reading : undefined}
        error={readable ? answer.error : null}
        arms={arms}
        rule={rule}
      />
    </div>
  );
}

function SplitField({ value, arms, change }: { value: string; arms: number; change: (split: string) => void }) {
  const wrong = parseSplit(value, arms) === null;
  return (
    <label className="min-w-0">
      <span className="quiet block text-sm">Planned split</span>
      <input
        className={`input input-sm w-28 ${wrong ? "input-error" : ""}`}
        placeholder="even"
        aria-invalid={wrong}
        value={value}
        onChange={(event) => change(event.target.value)}
      />
      {wrong && (
        <span role="alert" className="block max-w-48 text-sm text-error">
          Planned split ({value}) must be {arms} numbers above 0, such as{" "}
          {Array.from({ length: arms }, () => 1).join(":")}
        </span>
      )}
    </label>
  );
}

const MONEY_WORDS = { cost: "Cost", impressions: "Impressions", amount: "Amount" };

interface ArmsProps {
  arms: PadArm[];
  problems: Record<string, string>;
  change: (arms: PadArm[]) => void;
}

/** Counts go to the server as they are typed: it refuses a rate without its counts, and says so. */
function Arms({ arms, problems, change }: ArmsProps) {
  const set = (index: number, part: Partial<PadArm>) =>
    change(arms.map((arm, i) => (i === index ? { ...arm, ...part } : arm)));
  const [asked, setAsked] = useState(false);
  const [refused, setRefused] = useState("");
  const pasting = (index: number, field: Field) => (event: React.ClipboardEvent) => {
    const pasted = pasteArms(arms, event.clipboardData.getData("text"), field, index);
    setRefused(typeof pasted === "string" ? pasted : "");
    if (pasted === null) return;
    event.preventDefault();
    if (typeof pasted !== "string") change(pasted);
  };
  const withMoney = asked || arms.some((arm) => MONEY.some((field) => arm[field]));
  return (
    <>
      <div className="grid gap-1.5">
        {arms.map((arm, index) => {
          const letter = LETTERS[index] ?? "";
          const wrong = ["units", "conversions", ...MONEY]
            .map((field) => problems[`arms.${index}.${field}`])
            .filter(Boolean)
            .join("; ");
          return (
            <div key={index}>
              <div className="flex items-center gap-2 max-sm:flex-wrap">
                <Letter letter={letter} />
                <input
                  className="input input-sm min-w-0 grow"
                  aria-label={`Name of ${letter}`}
                  placeholder={index === 0 ? "Control" : `Variant ${letter}`}
                  value={arm.name}
                  onChange={(event) => set(index, { name: event.target.value })}
                  onPaste={pasting(index, "name")}
                />
                <input
                  className="input input-sm w-32 text-right"
                  aria-label={`Units of ${letter}`}
                  placeholder="units"
                  inputMode="numeric"
                  value={arm.units}
                  onChange={(event) => set(index, { units: event.target.value })}
                  onPaste={pasting(index, "units")}
                />
                <input
                  className="input input-sm w-32 text-right"
                  aria-label={`Conversions of ${letter}`}
                  placeholder="conversions"
                  inputMode="numeric"
                  value={arm.conversions}
                  onChange={(event) => set(index, { conversions: event.target.value })}
                  onPaste={pasting(index, "conversions")}
                />
                <button
                  className="btn btn-xs w-16"
                  disabled={arms.length <= 2 || index === 0}
                  onClick={() => change(arms.filter((_, i) => i !== index))}
                  aria-label={`Remove ${letter}`}
                >
                  Remove
                </button>
              </div>
              {withMoney && (
                <div className="mt-1 ml-7 flex flex-wrap gap-2">
                  {MONEY.map((field) => (
                    <label key={field} className="flex items-center gap-1.5">
                      <span className="quiet text-sm">{MONEY_WORDS[field]}</span>
                      <input
                        className="input input-sm w-32 text-right"
                        aria-label={`${MONEY_WORDS[field]} of ${letter}`}
                        inputMode="decimal"
                        value={arm[field]}
                        onChange={(event) => set(index, { [field]: event.target.value })}
                        onPaste={pasting(index, field)}
                      />
                    </label>
                  ))}
                </div>
              )}
              {wrong && (
                <p role="alert" className="ml-7 text-sm text-error">
                  {wrong}
                </p>
              )}
            </div>
          );
        })}
      </div>
      {refused && (
        <p role="alert" className="mt-2 text-sm text-error">
          {refused}
        </p>
      )}
      <button
        className="btn btn-xs mt-2"
        disabled={arms.length >= LETTERS.length}
        onClick={() => change([...arms, BLANK])}
      >
        One variant more
      </button>
      {!withMoney && (
        <button className="btn btn-xs mt-2 ml-2" onClick={() => setAsked(true)}>
          Cost and amounts
        </button>
      )}
    </>
  );
}

function Answer({
  reading,
  error,
  arms,
  rule,
}: {
  reading: Reading | undefined;
  error: Error | null;
  arms: PadArm[];
  rule: PadRule;
}) {
  const [making, setMaking] = useState(false);
  const { data: session } = useSession();
  if (error) {
    return (
      <aside aria-label="Verdict" className="border-t-[3px] border-error pt-2">
        <p className="font-serif text-[21px] leading-tight">These counts cannot be judged.</p>
        <p className="quiet mt-2">{error.message}</p>
      </aside>
    );
  }
  if (!reading) {
    return (
      <aside aria-label="Verdict" className="border-t-[3px] border-neutral pt-2">
        <p className="font-serif text-[21px] leading-tight">
          Type the counts of each variant; the verdict follows as you type.
        </p>
        <p className="quiet mt-2">A rate alone is not enough: 5% of 100 and 5% of a million are different evidence.</p>
      </aside>
    );
  }
  const look = verdictNamed(reading.verdict);
  return (
    <aside aria-label="Verdict" className="border-t-[3px] pt-2" style={{ borderColor: TONE_COLOUR[look.tone] }}>
      <div className="quiet text-sm">
        <span aria-hidden>{look.mark}</span> {look.title}
      </div>
      <Headline text={reading.headline} figure={reading.figure} tone={look.tone} className="mt-1 text-[21px]" />
      <p className="quiet mt-2 text-sm">{reading.detail}</p>
      <div className="mt-3">
        <Conditions reading={reading} />
      </div>
      {reading.would_change?.map((line) => (
        <p key={line} className="mt-2 text-sm">
          {line}
        </p>
      ))}
      {reading.warnings.map((line) => (
        <p key={line} className="quiet mt-2 text-sm">
          {line}
        </p>
      ))}
      <p className="quiet mt-3 text-sm">
        Counts alone do not show whether the variants ran at the same time, nor how often somebody looked.
      </p>
      {session?.account?.may_edit && (
        <button className="btn btn-sm mt-3 w-full" onClick={() => setMaking(true)}>
          Make this an experiment…
        </button>
      )}
      {making && <NewExperiment close={() => setMaking(false)} changes={asExperiment(reading, arms, rule)} />}
    </aside>
  );
}

/** What an experiment can take over: names, confidence, worthwhile lift, control's rate as the baseline, the units a day; all that
 * was typed, in words. */
function asExperiment(reading: Reading, arms: PadArm[], rule: PadRule) {
  const baseline = reading.arms[0]?.rate.estimate ?? null;
  const counts = reading.arms.map((arm) => `${arm.letter} ${count(arm.total)} of ${count(arm.units)}`).join(", ");
  const money = MONEY.filter((field) => arms.some((arm) => arm[field])).map(
    (field) => ` ${MONEY_WORDS[field]}: ${arms.map((arm, index) => `${LETTERS[index]} ${arm[field]}`).join(", ")}.`,
  );
  const days = Number(rule.days);
  const units = reading.arms.reduce((sum, arm) => sum + arm.units, 0);
  return {
    description: `From the Scratchpad: ${counts}${days ? `, in ${plural(days, "day")}` : ""}.${money.join("")}`,
    ...(days ? { audience_per_day: Math.max(Math.round(units / days), 1) } : {}),
    variants: arms.map((arm, index) => ({
      name: arm.name.trim() || (index === 0 ? "Control" : `Variant ${LETTERS[index]}`),
      changes: [],
      weight: parseSplit(rule.split, arms.length)?.[index] ?? 1,
    })),
    question: rule.question,
    confidence: share(rule.confidence),
    worthwhile_lift: share(rule.worthwhile),
    least_conversions: fromCanonical(rule.least) ?? 50,
    ...(baseline !== null && baseline > 0 && baseline < 1 ? { baseline: Number(baseline.toPrecision(4)) } : {}),
  };
}
