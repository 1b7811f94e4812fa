import type { ComponentProps, ReactNode } from "react";
import { FormError, Panel } from "./basics";
import { FilePicker } from "./FilePicker";

interface Props extends ComponentProps<typeof FilePicker> {
  fold?: string | undefined;
  title: string;
  note: string;
  /** What the file must hold. */
  holds: ReactNode;
  error: Error | null;
  /** What else may be done in the place where files are dropped. */
  actions?: ReactNode;
}

/** Where a kind of file comes in: what it must hold, the choice, what went wrong, and below what became of it. */
export function UploadPanel({ fold, title, note, holds, error, actions, children, ...picker }: Props) {
  return (
    <Panel fold={fold} title={title} note={note}>
      <div className="quiet mb-2 text-sm">{holds}</div>
      <FilePicker {...picker}>{actions}</FilePicker>
      <FormError error={error} />
      {children}
    </Panel>
  );
}
