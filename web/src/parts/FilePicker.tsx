import { useRef, type ReactNode } from "react";

interface Props {
  /** What is chosen, for those who hear it and, unless there is a shorter `button`, on the button. */
  label: string;
  button?: string;
  accept: string;
  busy?: boolean;
  pick: (file: File) => void;
  /** What else may be dropped or done here. */
  children?: ReactNode;
}

/** One file, chosen or dropped. */
export function FilePicker({ label, button = label, accept, busy = false, pick, children }: Props) {
  const input = useRef<HTMLInputElement>(null);
  return (
    <div
      className="flex flex-wrap items-center gap-3 rounded-md border border-dashed border-base-300 px-3 py-2"
      onDragOver={(event) => event.preventDefault()}
      onDrop={(event) => {
        event.preventDefault();
        const dropped = event.dataTransfer.files[0];
        if (dropped && !busy) pick(dropped);
      }}
    >
      <button type="button" className="btn btn-sm" disabled={busy} onClick={() => input.current?.click()}>
        {busy ? "Reading…" : button}
      </button>
      {children ?? <span className="quiet text-sm">or drop it here</span>}
      <input
        ref={input}
        type="file"
        className="hidden"
        aria-label={label}
        accept={accept}
        onChange={(event) => {
          const file = event.target.files?.[0];
          // The same file can be chosen again.
          event.target.value = "";
          if (file) pick(file);
        }}
      />
    </div>
  );
}
