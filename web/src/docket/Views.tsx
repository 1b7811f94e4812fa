import { useState } from "react";
import { useNavigate } from "react-router";
import type { DocketView } from "../api/client";
import { useChoose, usePreferences } from "../api/preferences";
import { FormError } from "../parts/basics";
import { Dialog } from "../parts/Dialog";

/** Filters and order under a name: they are the address, so a view can be sent to somebody as a link, too. */
export function Views({ filters }: { filters: string }) {
  const [open, setOpen] = useState(false);
  const present = usePreferences()?.views?.find((view) => view.filters === filters);
  return (
    <>
      <button type="button" className="btn btn-xs max-w-60" onClick={() => setOpen(true)}>
        <span className="truncate">{present ? `View: ${present.name}` : "Views"}</span>
      </button>
      {open && <Stored filters={filters} close={() => setOpen(false)} />}
    </>
  );
}

function Stored({ filters, close }: { filters: string; close: () => void }) {
  const views = usePreferences()?.views ?? [];
  const choose = useChoose();
  const navigate = useNavigate();
  const [name, setName] = useState("");
  const put = (next: DocketView[], then?: () => void) => choose.mutate({ views: next }, { onSuccess: () => then?.() });
  const go = (view: DocketView) => {
    close();
    void navigate({ pathname: "/", search: view.filters });
  };
  return (
    <Dialog title="Views of the docket" close={close}>
      {views.length === 0 && (
        <p className="quiet">
          None is stored yet. Choose filters and an order, then store them here under a name of yours.
        </p>
      )}
      <ul>
        {views.map((view) => (
          <li key={view.name} className="flex items-center gap-2 py-0.5">
            <button type="button" className="link min-w-0 grow truncate text-left" onClick={() => go(view)}>
              {view.name}
            </button>
            <button
              type="button"
              className="btn btn-xs btn-ghost"
              aria-label={`Remove the view ${view.name}`}
              disabled={choose.isPending}
              onClick={() => put(views.filter((one) => one.name !== view.name))}
            >
              Remove
            </button>
          </li>
        ))}
      </ul>
      <form
        className="mt-3 flex flex-wrap items-end gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          const named = name.trim();
          if (named) put([...views.filter((one) => one.name !== named), { name: named, filters }], close);
        }}
      >
        <label className="grow">
          <span className="quiet mb-1 block text-sm">Store what is shown now as</span>
          <input
            className="input input-sm w-full"
            maxLength={60}
            value={name}
            disabled={!filters}
            onChange={(event) => setName(event.target.value)}
          />
        </label>
        <button className="btn btn-sm btn-primary" disabled={!filters || choose.isPending || !name.trim()}>
          Store
        </button>
      </form>
      {!filters && <p className="quiet mt-1 text-sm">All is shown as usual: choose a filter or an order first.</p>}
      {views.some((one) => one.name === name.trim()) && (
        <p className="quiet mt-1 text-sm">There is a view of that name; it will be replaced.</p>
      )}
      <FormError error={choose.error} />
      <div className="mt-3 text-right">
        <button type="button" className="btn btn-sm" onClick={close}>
          Close
        </button>
      </div>
    </Dialog>
  );
}
