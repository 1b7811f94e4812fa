import { useState, type ComponentProps } from "react";
import type { ReportLink } from "../api/client";
import { useReportLinks } from "../api/outcome";
import { day, plural } from "../lib/format";
import { errorOf, FormError } from "../parts/basics";
import { Dialog } from "../parts/Dialog";
import { Asked } from "../parts/Asked";
import { CopyText } from "../parts/CopyText";

const WORDS = {
  report: {
    title: "Share the report",
    what: "Whoever has the link reads the report as it is at that time, without an account. Nothing else opens, and nothing can be changed.",
  },
  engineer: {
    title: "Send to the engineer",
    what: "Whoever has the link finds the script with the site’s key, the parameters, what is to be sent and previews, without an account. Nothing can be changed there.",
  },
} as const;

interface Props {
  experiment: string;
  kind: ReportLink["kind"];
  close: () => void;
}

/** Links for people without an account: made, copied, withdrawn. */
export function ShareDialog({ experiment, kind, close }: Props) {
  const { links, make, withdraw } = useReportLinks(experiment);
  const [days, setDays] = useState("30");
  const [note, setNote] = useState("");
  const made = links.data?.filter((link) => link.kind === kind);
  const wrong = errorOf(make.error, "days");
  return (
    <Dialog title={WORDS[kind].title} close={close}>
      <p className="text-sm">{WORDS[kind].what}</p>
      <form
        className="mt-3 flex flex-wrap items-end gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          make.mutate({ kind, days: Number(days), note }, { onSuccess: () => setNote("") });
        }}
      >
        <label className="grow">
          <span className="quiet block text-sm">For whom (you alone see this)</span>
          <input
            className="input input-sm w-full"
            value={note}
            maxLength={120}
            onChange={(event) => setNote(event.target.value)}
          />
        </label>
        <label>
          <span className="quiet block text-sm">Opens for, days</span>
          <input
            className="input input-sm w-20 text-right"
            inputMode="numeric"
            value={days}
            aria-invalid={!!wrong}
            onChange={(event) => setDays(event.target.value)}
          />
        </label>
        <button className="btn btn-sm btn-primary" disabled={make.isPending}>
          Make a link
        </button>
      </form>
      <FormError error={make.error ?? withdraw.error} />
      <ul className="mt-3 divide-y divide-base-300 text-sm">
        {made?.map((link) => (
          <Line
            key={link.id}
            link={link}
            withdraw={{ ...withdraw, mutate: (done) => withdraw.mutate(link.id, done) }}
          />
        ))}
        {made?.length === 0 && <li className="quiet">No link has been made yet.</li>}
      </ul>
      <div className="mt-4 text-right">
        <button className="btn btn-sm" onClick={close}>
          Done
        </button>
      </div>
    </Dialog>
  );
}

function Line({ link, withdraw }: { link: ReportLink; withdraw: ComponentProps<typeof Asked>["run"] }) {
  const open = link.state === "open";
  return (
    <li className="py-2">
      <div className="flex items-baseline gap-2">
        <span className="grow font-semibold">{link.note || "Link"}</span>
        <span className={open ? "" : "tone-warning"}>{open ? `until ${day(link.expires_at)}` : link.state}</span>
      </div>
      <div className="quiet">
        by {link.made_by}, {day(link.made_at)}; opened {plural(link.opened, "time")}
      </div>
      {open && (
        <div className="mt-1 flex items-center gap-2">
          <input
            readOnly
            className="input input-xs grow font-mono"
            aria-label={`Address of ${link.note || "the link"}`}
            value={`${window.location.origin}${link.path}`}
            onFocus={(event) => event.target.select()}
          />
          <CopyText text={`${window.location.origin}${link.path}`} label="Copy" />
          <Asked what="Withdraw" title={`Withdraw ${link.note || "the link"}?`} run={withdraw}>
            Nobody can open it any more. Another link can be made; this one does not come back.
          </Asked>
        </div>
      )}
    </li>
  );
}
