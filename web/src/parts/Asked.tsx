import { useState, type ReactNode } from "react";
import { FormError } from "./basics";
import { Dialog } from "./Dialog";

interface Props {
  /** What the button says, and the one that confirms it. */
  what: string;
  /** The name of the button where there are several of the kind; it contains `what`. */
  name?: string;
  /** The question, such as "Withdraw the key of the shop?". */
  title: string;
  /** What it ends, and for whom. */
  children: ReactNode;
  run: { mutate: (done: { onSuccess: () => void }) => void; isPending: boolean; error: Error | null };
  className?: string;
}

/** A button for what cannot be undone: it asks first, says what follows, and rests while it works. */
export function Asked({ what, name, title, children, run, className = "btn btn-xs" }: Props) {
  const [asking, setAsking] = useState(false);
  return (
    <>
      <button type="button" className={className} aria-label={name} onClick={() => setAsking(true)}>
        {what}…
      </button>
      {asking && (
        <Dialog title={title} close={() => setAsking(false)}>
          <p>{children}</p>
          <FormError error={run.error} />
          <div className="mt-4 flex justify-end gap-2">
            <button type="button" className="btn btn-sm" onClick={() => setAsking(false)}>
              Cancel
            </button>
            <button
              type="button"
              className="btn btn-sm btn-primary"
              disabled={run.isPending}
              onClick={() => run.mutate({ onSuccess: () => setAsking(false) })}
            >
              {what}
            </button>
          </div>
        </Dialog>
      )}
    </>
  );
}
