/** How far work in the background has come, with the way to cancel it for those who may. */
export function Running({
  progress,
  cancel,
  label = "Rehearsal",
}: {
  progress: number;
  cancel: (() => void) | null;
  label?: string;
}) {
  return (
    <div className="mt-3 flex items-center gap-3">
      <progress className="progress progress-primary grow" value={progress} max={1} aria-label={label} />
      <span className="w-12 text-right">{Math.round(progress * 100)}%</span>
      {cancel && (
        <button type="button" className="btn btn-sm" onClick={cancel}>
          Cancel
        </button>
      )}
    </div>
  );
}
