import type { OnPage } from "../api/client";

/** What must be so on a page: whether it is, what was seen, and the fix. */
export function Findings({ findings }: { findings: OnPage["findings"] }) {
  return (
    <ul>
      {findings.map(({ label, met, seen, fix }) => (
        <li key={label} className="flex gap-3 border-b border-base-300 py-1.5 last:border-b-0">
          <span aria-hidden className={met ? "tone-ahead" : "tone-warning"}>
            {met ? "✓" : "○"}
          </span>
          <span className="min-w-0 grow">
            <span className={met ? "" : "font-semibold"}>{label}</span>
            <span className="sr-only">{met ? ", met" : ", not met"}</span>
            {!met && <span className="quiet block text-sm">{fix}.</span>}
          </span>
          <span className="quiet text-right text-sm">{seen}</span>
        </li>
      ))}
    </ul>
  );
}
