import { useState } from "react";
import { Link, useSearchParams } from "react-router";
import type { OnPage } from "../../../api/client";
import { useOnPage } from "../../../api/hooks";
import { day, moment } from "../../../lib/format";
import { useZone } from "../../../api/hooks";
import { CopyText } from "../../../parts/CopyText";
import { Findings } from "../../../parts/Findings";
import { Letter } from "../../../parts/Letter";
import { Failure, Panel, Skeleton } from "../../../parts/basics";
import { TextField } from "../../../parts/fields";
import { ShareDialog } from "../../../report/ShareDialog";
import { useEditing } from "../../editing";
import { Outlines } from "./Outlines";
import { PreviewFrames } from "./PreviewFrames";

/** The page that changes: where it is, how each variant looks there, and whether it has the script. */
export function OnPagePanel() {
  const { experiment, save, mayEdit, errorFor } = useEditing();
  const [days, setDays] = useState(7);
  const [sharing, setSharing] = useState(false);
  const known = useOnPage(experiment.key, experiment.page, days);
  return (
    <Panel
      fold="on-the-page"
      title="On the page"
      note={experiment.page ? "looking is never counted" : "give the page’s address to look at the variants there"}
      action={
        mayEdit && (
          <button className="btn btn-xs" onClick={() => setSharing(true)}>
            Send to the engineer…
          </button>
        )
      }
    >
      <TextField
        label="Address of the page"
        placeholder="https://www.example.com/sailings"
        value={experiment.page}
        save={(page) => save({ page })}
        locked={!mayEdit}
        error={errorFor("page")}
      />
      {experiment.page && known.isPending && <Skeleton rows={2} />}
      {known.isError && <Failure error={known.error} again={() => void known.refetch()} />}
      {experiment.page && known.data && (
        <>
          <Previews previews={known.data.previews} days={days} setDays={setDays} experiment={experiment.key} />
          <Installed known={known.data} again={() => void known.refetch()} busy={known.isFetching} />
        </>
      )}
      {sharing && <ShareDialog experiment={experiment.key} kind="engineer" close={() => setSharing(false)} />}
    </Panel>
  );
}

interface PreviewsProps {
  experiment: string;
  previews: OnPage["previews"];
  days: number;
  setDays: (days: number) => void;
}

/** A link a variant, and the page at three widths in the Brief itself (`?look=B`). */
function Previews({ experiment, previews, days, setDays }: PreviewsProps) {
  const [outlined, setOutlined] = useState(false);
  const [address, setAddress] = useSearchParams();
  const look = previews.find((one) => one.letter === address.get("look"));
  const show = (letter: string | null) =>
    setAddress(
      (now) => {
        if (letter) now.set("look", letter);
        else now.delete("look");
        return now;
      },
      { replace: true, preventScrollReset: true },
    );
  return (
    <div className="mt-2 border-t border-base-300 pt-2">
      <div className="mb-1 flex flex-wrap items-center gap-x-3">
        <h3 className="font-semibold">Look at a variant</h3>
        <label className="quiet ml-auto flex items-center gap-2 text-sm">
          New links open for
          <select
            className="select select-xs w-24"
            value={days}
            onChange={(event) => setDays(Number(event.target.value))}
          >
            <option value={1}>1 day</option>
            <option value={7}>7 days</option>
            <option value={30}>30 days</option>
          </select>
        </label>
      </div>
      <ul>
        {previews.map(({ letter, name, address: link, expires_at }) => (
          <li key={letter} className="flex flex-wrap items-center gap-x-3 gap-y-1 border-b border-base-300 py-1.5">
            <Letter letter={letter} />
            <span className="grow">
              {name} <span className="quiet text-sm">until {day(expires_at)}</span>
            </span>
            <button
              className="btn btn-xs"
              aria-pressed={look?.letter === letter}
              aria-label={`${look?.letter === letter ? "Hide" : "Show here"}: ${letter}`}
              onClick={() => show(look?.letter === letter ? null : letter)}
            >
              {look?.letter === letter ? "Hide" : "Show here"}
            </button>
            <a className="btn btn-xs" href={link} target="_blank" rel="noreferrer" aria-label={`Open: ${letter}`}>
              Open
            </a>
            <CopyText text={link} label={`Copy the link of ${letter}`} />
          </li>
        ))}
      </ul>
      <p className="quiet mt-1 text-sm">
        Whoever has a link sees the variant, without an account and without being counted, and can leave it again.
      </p>
      {look && <PreviewFrames key={look.address} preview={look} />}
      <details className="mt-1 text-sm" onToggle={(event) => setOutlined(event.currentTarget.open)}>
        <summary className="cursor-pointer">The variants in outline</summary>
        {outlined && previews.length > 0 && (
          <div className="grid gap-x-6 sm:grid-cols-2">
            {previews.map(({ letter, name }) => (
              <section key={letter} aria-label={`${letter} in outline`}>
                <h4 className="mt-2 flex items-center gap-2">
                  <Letter letter={letter} /> {name}
                </h4>
                <Outlines experiment={experiment} letter={letter} />
              </section>
            ))}
          </div>
        )}
        <p className="quiet mt-1 text-xs">
          Taken by the script when a variant is shown here; without pictures, fonts and colours of the page.
        </p>
      </details>
    </div>
  );
}

/** Whether the script is on the page, and where else it has been seen. */
function Installed({ known, again, busy }: { known: OnPage; again: () => void; busy: boolean }) {
  const zone = useZone();
  return (
    <div className="mt-3 border-t border-base-300 pt-2">
      <div className="mb-1 flex items-center gap-3">
        <h3 className="font-semibold">Is the script there?</h3>
        <button className="btn btn-xs ml-auto" onClick={again} disabled={busy}>
          Check
        </button>
      </div>
      <Findings findings={known.findings} />
      <p className="quiet mt-1 text-sm">
        <Link className="link" to="/connections">
          Keys and connections
        </Link>
      </p>
      {known.pages.length > 0 && (
        <details className="mt-1 text-sm">
          <summary className="cursor-pointer">Pages with the script at this origin ({known.pages.length})</summary>
          <div className="mt-1 max-h-64 overflow-auto" tabIndex={0} aria-label="Pages with the script">
            <table className="table table-xs">
              <thead>
                <tr>
                  <th>Page</th>
                  <th>Script</th>
                  <th>First seen</th>
                  <th>Last seen</th>
                </tr>
              </thead>
              <tbody>
                {known.pages.map((page) => (
                  <tr key={page.address}>
                    <td className="break-all">{page.address}</td>
                    <td className={page.version === known.version ? "" : "tone-warning"}>{page.version}</td>
                    <td className="whitespace-nowrap">{moment(page.first_at, zone)}</td>
                    <td className="whitespace-nowrap">{moment(page.last_at, zone)}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
        </details>
      )}
    </div>
  );
}
