import type { ReactNode } from "react";
import { Problem } from "../api/client";

export function Panel({
  title,
  note,
  action,
  children,
}: {
  title: ReactNode;
  note?: ReactNode;
  action?: ReactNode;
  children: ReactNode;
}) {
  return (
    <section className="sheet px-4 py-3">
      <div className="mb-2 flex items-baseline gap-3">
        <div className="flex grow flex-wrap items-baseline gap-x-3">
          <h2 className="text-[17px]">{title}</h2>
          {note && <span className="quiet text-sm">{note}</span>}
        </div>
        {action && <div className="shrink-0">{action}</div>}
      </div>
      {children}
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
