import { useId, type ReactNode } from "react";
import { Problem } from "../api/client";
import { useFold } from "./fold";

interface PanelProps {
  title: ReactNode;
  note?: ReactNode;
  action?: ReactNode;
  /** By which name it is remembered whether it is open, and found by an address; without one it is always open. */
  fold?: string | undefined;
  /** What it says in a line while it is folded; its note where left out. */
  line?: ReactNode;
  children: ReactNode;
}

/** A part of a sheet. One with a name folds to a line: what is in it is made when it is opened first, and stays. */
export function Panel({ fold, ...panel }: PanelProps) {
  return fold === undefined ? <Open {...panel} /> : <Folding fold={fold} {...panel} />;
}

function Open({ title, note, action, children }: Omit<PanelProps, "fold">) {
  return (
    <section className="sheet panel">
      <div className="mb-2 flex items-baseline gap-3 max-sm:flex-wrap">
        <div className="flex grow flex-wrap items-baseline gap-x-3">
          <h2 className="text-[17px]">{title}</h2>
          {note && <span className="quiet text-sm">{note}</span>}
        </div>
        {action && <div className="sm:shrink-0">{action}</div>}
      </div>
      {children}
    </section>
  );
}

function Folding({ fold, title, note, action, line = note, children }: PanelProps & { fold: string }) {
  const { open, seen, turn, holder } = useFold(fold);
  const heading = useId();
  const content = useId();
  return (
    <section ref={holder} id={fold} className="sheet panel">
      <div className={`flex items-baseline gap-2 ${open ? "mb-2" : ""}`}>
        <button
          type="button"
          className="-mt-0.5 -ml-2 size-6 shrink-0 cursor-pointer self-start text-neutral"
          aria-expanded={open}
          aria-controls={content}
          aria-labelledby={heading}
          onClick={turn}
        >
          <svg viewBox="0 0 12 12" className={`mx-auto size-3 ${open ? "rotate-90" : ""}`} aria-hidden>
            <path d="M4 2l4 4-4 4" fill="none" stroke="currentColor" strokeWidth={1.6} />
          </svg>
        </button>
        <div className="flex min-w-0 grow flex-wrap items-baseline gap-x-3">
          <h2
            id={heading}
            className="cursor-pointer text-[17px]"
            // A word in it that explains itself is clicked for that.
            onClick={typeof title === "string" ? turn : undefined}
          >
            {title}
          </h2>
          {open
            ? note && <span className="quiet text-sm">{note}</span>
            : line && <span className="text-sm">{line}</span>}
        </div>
        {open && action && <div className="shrink-0">{action}</div>}
      </div>
      <div id={content} hidden={!open}>
        {seen && children}
      </div>
    </section>
  );
}

export function Skeleton({ rows = 4 }: { rows?: number }) {
  return (
    <div className="grid gap-3" role="status" aria-label="Loading">
      {Array.from({ length: rows }, (_, index) => (
        <div key={index} className="skeleton h-11 w-full rounded-md" />
      ))}
    </div>
  );
}

/** What went wrong, in the server's sentence, with a way to try again. */
export function Failure({ error, again }: { error: Error; again?: () => void }) {
  const missing = error instanceof Problem && error.status === 404;
  return (
    <div role="alert" className="sheet flex items-center gap-4 border-l-4 border-l-error px-4 py-3">
      <span>
        {missing ? "There is no experiment with this key. It may have been spelt differently." : error.message}
      </span>
      {again && (
        <button className="btn btn-sm ml-auto" onClick={again}>
          Try again
        </button>
      )}
    </div>
  );
}

export function Empty({ title, children }: { title: string; children?: ReactNode }) {
  return (
    <div className="sheet px-6 py-8 text-center">
      <h2 className="mb-1 text-xl">{title}</h2>
      <div className="quiet">{children}</div>
    </div>
  );
}

export function errorOf(error: Error | null, field: string): string | undefined {
  return error instanceof Problem ? error.fields[field] : undefined;
}

/** Failure of a form as a whole: what belongs to no single field. */
export function FormError({ error }: { error: Error | null }) {
  if (!error) return null;
  return (
    <p role="alert" className="mt-2 text-error">
      {error.message}
    </p>
  );
}

/** A line of a description list: what it is left, the figure right. */
export function FactLine({ label, value }: { label: string; value: string }) {
  return (
    <div className="flex justify-between gap-2 border-b border-base-300 py-1.5">
      <dt>{label}</dt>
      <dd className="text-right font-semibold whitespace-nowrap">{value}</dd>
    </div>
  );
}
