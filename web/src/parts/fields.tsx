import { useEffect, useId, useState, type ReactNode } from "react";
import { ComboInput } from "./ComboInput";
import { DayInput, wrongDay } from "./DayInput";
import { TermMark } from "./Term";
import { useDraft } from "../lib/drafts";
import { count } from "../lib/format";
import { numberText, readNumber, shareText, twoMeanings } from "../lib/numbers";

interface RowProps {
  label: string;
  term?: string | undefined;
  unit?: string;
  note?: ReactNode;
  error?: string | undefined;
  unsaved?: ReactNode;
  id: string;
  children: ReactNode;
}

/** Label left, field right with its unit, the consequence in a quiet line below. */
function Row({ label, term, unit, note, error, unsaved, id, children }: RowProps) {
  return (
    <div className="border-b border-base-300 py-1.5 last:border-b-0">
      <div className="flex items-center gap-2">
        <span className="min-w-0 grow wrap-anywhere">
          <label htmlFor={id}>{label}</label>
          <TermMark name={term} />
        </span>
        {children}
        {unit !== undefined && <span className="quiet w-12 shrink-0 text-sm">{unit}</span>}
      </div>
      {note && <div className="quiet text-sm">{note}</div>}
      {unsaved}
      {error && (
        <div role="alert" id={`${id}-error`} className="text-sm text-error">
          {error}
        </div>
      )}
    </div>
  );
}

interface NumberProps {
  label: string;
  /** Word of the glossary that explains the label. */
  term?: string;
  value: number | null;
  /** Called with the number on leaving the field or Enter, when it differs. */
  save: (value: number | null) => void;
  percent?: boolean;
  /** Only whole numbers are accepted. */
  whole?: boolean;
  unit?: string;
  note?: ReactNode;
  error?: string | undefined;
  locked?: boolean;
  required?: boolean;
}

interface Typed {
  text: string;
  /** The value that it was typed over. */
  over: string;
  sent: boolean;
}

/**
 * What is typed into a field, over the value it has. It stays until that value changes, so that what was refused is not lost, and is
 * sent once. What a page that was left had not saved is there again, over whatever the value is by now.
 */
function useTyped(value: string, name: string, locked: boolean) {
  const [typed, setTyped, restored] = useDraft<Typed>(name);
  const stands = typed !== null && (restored ? typed.text !== value : typed.over === value);
  // Another value, ours or somebody else's: what was typed over the one before is done with.
  const done = typed !== null && !stands;
  useEffect(() => {
    if (done) setTyped(null);
  }, [done, setTyped]);
  return {
    // What is locked shows what is stored, whatever was typed before it was.
    text: stands && !locked ? typed.text : value,
    waiting: stands && !locked && (!typed.sent || restored),
    restored: stands && restored ? typed.text : null,
    type: (text: string) => setTyped({ text, over: value, sent: false }),
    sent: () => typed && setTyped({ text: typed.text, over: value, sent: true }),
    drop: () => setTyped(null),
  };
}

/** As `useTyped`, of a text that is saved without the spaces around it. */
function useTypedText(value: string, save: (value: string) => void, name: string, locked: boolean) {
  const { text, waiting, restored, type, sent, drop } = useTyped(value, name, locked);
  const commit = () => {
    if (!waiting) return;
    if (text.trim() === value) return drop();
    sent();
    save(text.trim());
  };
  const unsaved = restored !== null && (
    <Restored typed={restored} over={value} save={locked ? null : commit} drop={drop} />
  );
  return { text, type, drop, commit, unsaved };
}

interface RestoredProps {
  typed: string;
  over: string;
  /** null where the field is locked by now. */
  save: (() => void) | null;
  drop: () => void;
}

/** Said below a field of what was typed in it before the page was left. */
function Restored({ typed, over, save, drop }: RestoredProps) {
  return (
    <div className="tone-warning flex flex-wrap gap-x-2 text-sm">
      <span>
        {save
          ? `Typed before and not saved yet; what is stored: ${over || "empty"}.`
          : `“${typed}” was typed before and not saved; it is locked by now.`}
      </span>
      {save && (
        <button type="button" className="link" onClick={save}>
          Save
        </button>
      )}
      <button type="button" className="link" onClick={drop}>
        Drop
      </button>
    </div>
  );
}

/** The shares of a refusal as they are typed: "confidence (1.5) must be under 1" is about 150%. */
function inPercent(refusal: string): string {
  return refusal.replace(
    /(?<![\w.])\d+(?:\.\d+)?(?:e-?\d+)?(?![\w.]*%|\w)/g,
    (share) => `${shareText(Number(share))}%`,
  );
}

/** A number, saved on leaving the field. What is no number, or was refused, stays in the field with the reason. */
export function NumberField({
  label,
  term,
  value,
  save,
  percent = false,
  whole = false,
  unit,
  note,
  error,
  locked = false,
  required = true,
}: NumberProps) {
  const id = useId();
  const shown = percent ? shareText(value) : numberText(value);
  const { text, waiting, restored, type, sent, drop } = useTyped(shown, label, locked);
  const [own, setOwn] = useState<string>();
  const [meanings, setMeanings] = useState<[number, number] | null>(null);
  const commit = (meant?: number) => {
    if (!waiting) return;
    if (text === shown) {
      setOwn(undefined);
      return drop();
    }
    const asked = meant === undefined ? twoMeanings(text) : null;
    setMeanings(asked);
    if (asked) return setOwn(undefined);
    const number = meant ?? readNumber(text);
    if (Number.isNaN(number) || (number === null && required)) {
      setOwn(`${label} (${text || "empty"}) must be a number, such as ${shown || (percent ? "5" : "1000")}`);
      return;
    }
    if (whole && number !== null && !Number.isInteger(number)) {
      setOwn(`${label} (${text}) must be a whole number`);
      return;
    }
    setOwn(undefined);
    if (number === readNumber(shown)) return drop(); // the same, written otherwise
    sent();
    save(number === null ? null : percent ? number / 100 : number);
  };
  const message = (waiting ? own : undefined) ?? (error && percent ? inPercent(error) : error);
  const ask = waiting && meanings && (
    <div role="alert" className="tone-warning flex flex-wrap gap-x-2 text-sm">
      <span>What is meant by {text}?</span>
      {meanings.map((meaning) => (
        <button key={meaning} type="button" className="link" onClick={() => commit(meaning)}>
          {count(meaning)}
        </button>
      ))}
    </div>
  );
  return (
    <Row
      label={label}
      term={term}
      unit={unit ?? (percent ? "%" : "")}
      note={note}
      error={message}
      id={id}
      unsaved={
        ask ||
        (restored !== null && (
          <Restored typed={restored} over={shown} save={locked ? null : () => commit()} drop={drop} />
        ))
      }
    >
      <input
        id={id}
        className={`input input-sm w-24 text-right ${message ? "input-error" : ""}`}
        inputMode="decimal"
        value={text}
        readOnly={locked}
        aria-readonly={locked}
        aria-invalid={!!message}
        aria-describedby={message ? `${id}-error` : undefined}
        title={locked ? "Locked since the start" : undefined}
        onChange={(event) => type(event.target.value)}
        onBlur={() => commit()}
        onKeyDown={(event) => {
          if (event.key === "Enter") commit();
          if (event.key === "Escape") {
            drop();
            setOwn(undefined);
          }
        }}
      />
    </Row>
  );
}

interface TextProps {
  label: string;
  term?: string;
  value: string;
  save: (value: string) => void;
  placeholder?: string;
  note?: ReactNode;
  error?: string | undefined;
  locked?: boolean;
  lines?: number;
  hideLabel?: boolean;
}

/** Text, saved on leaving the field; what was refused stays in it, and Escape brings back what was there. */
export function TextField({
  label,
  term,
  value,
  save,
  placeholder,
  note,
  error,
  locked = false,
  lines = 1,
  hideLabel = false,
}: TextProps) {
  const id = useId();
  const { text, type, drop, commit, unsaved } = useTypedText(value, save, label, locked);
  const shared = {
    id,
    value: text,
    readOnly: locked,
    placeholder,
    "aria-invalid": !!error,
    title: locked ? "Locked since the start" : undefined,
    onBlur: commit,
  };
  return (
    <div className="py-1">
      <div className={hideLabel ? "sr-only" : "quiet mb-0.5 text-sm"}>
        <label htmlFor={id}>{label}</label>
        <TermMark name={term} />
      </div>
      {lines > 1 ? (
        <textarea
          {...shared}
          className="textarea textarea-sm w-full"
          rows={lines}
          onChange={(event) => type(event.target.value)}
        />
      ) : (
        <input
          {...shared}
          className="input input-sm w-full"
          onChange={(event) => type(event.target.value)}
          onKeyDown={(event) => {
            if (event.key === "Enter") commit();
            if (event.key === "Escape") drop();
          }}
        />
      )}
      {unsaved}
      <Below note={note} error={error} />
    </div>
  );
}

interface ComboProps extends Pick<TextProps, "label" | "term" | "value" | "save" | "placeholder" | "note" | "error"> {
  locked?: boolean;
  /** Values to choose from; any other may be typed. */
  options: readonly string[];
}

/** A text that is typed or chosen, saved on leaving the field. */
export function ComboField({ value, save, note, error, locked = false, options, ...rest }: ComboProps) {
  const { text, type, drop, commit, unsaved } = useTypedText(value, save, rest.label, locked);
  return (
    <div className="py-1">
      <ComboInput
        {...rest}
        value={text}
        change={type}
        commit={commit}
        cancel={drop}
        options={options}
        locked={locked}
        invalid={!!error}
      />
      {unsaved}
      <Below note={note} error={error} />
    </div>
  );
}

function Below({ note, error }: { note: ReactNode; error: string | undefined }) {
  return (
    <>
      {note && <div className="quiet text-sm">{note}</div>}
      {error && (
        <div role="alert" className="text-sm text-error">
          {error}
        </div>
      )}
    </>
  );
}

interface ChoiceProps<T extends string> {
  label: string;
  value: T;
  options: readonly { value: T; label: string }[];
  save: (value: T) => void;
  locked?: boolean;
  note?: ReactNode;
  error?: string | undefined;
}

export function ChoiceField<T extends string>({
  label,
  value,
  options,
  save,
  locked = false,
  note,
  error,
}: ChoiceProps<T>) {
  const id = useId();
  return (
    <div className="py-1">
      <label htmlFor={id} className="quiet mb-0.5 block text-sm">
        {label}
      </label>
      <select
        id={id}
        className="select select-sm w-full"
        value={value}
        disabled={locked}
        onChange={(event) => save(event.target.value as T)}
      >
        {options.map((option) => (
          <option key={option.value} value={option.value}>
            {option.label}
          </option>
        ))}
      </select>
      <Below note={note} error={error} />
    </div>
  );
}

interface DayProps extends Pick<TextProps, "label" | "note" | "error"> {
  /** ISO 8601, empty for none. */
  value: string;
  save: (value: string) => void;
  locked?: boolean;
  first?: string | undefined;
  last?: string | undefined;
}

/** A day, saved on leaving the field: while its parts are typed it is another day with each key. */
export function DayField({ label, value, save, note, error, locked = false, first, last }: DayProps) {
  const id = useId();
  const [own, setOwn] = useState<string>();
  const { text, type, drop, commit, unsaved } = useTypedText(
    value,
    (day) => {
      const wrong = wrongDay(label, day, first, last);
      setOwn(wrong);
      if (!wrong) save(day);
    },
    label,
    locked,
  );
  const message = (text === value ? undefined : own) ?? error;
  return (
    <div>
      <label htmlFor={id} className="quiet block text-sm">
        {label}
      </label>
      <DayInput
        id={id}
        label={label}
        quiet
        value={text}
        first={first}
        last={last}
        readOnly={locked}
        aria-invalid={!!message}
        change={type}
        leave={commit}
        onKeyDown={(event) => {
          if (event.key === "Enter") commit();
          if (event.key === "Escape") drop();
        }}
      />
      {unsaved}
      <Below note={note} error={message} />
    </div>
  );
}
