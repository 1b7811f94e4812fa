import { useState, type ReactNode } from "react";
import { useDerivation, type FigureAsked } from "../../api/outcome";
import { FormError, Skeleton } from "../../parts/basics";
import { Dialog } from "../../parts/Dialog";
import { CopyTable } from "../../parts/CopyTable";
import { tableText } from "../../lib/tableText";

interface Props extends FigureAsked {
  experiment: string;
  /** What it is, for those who hear it: "Lift of B". */
  label: string;
  children: ReactNode;
}

/** A figure that opens how it is made, so that it can be done again by hand. */
export function Figured({ experiment, label, children, ...asked }: Props) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <button type="button" className="figured" title={`${label}: how it is made`} onClick={() => setOpen(true)}>
        {children}
      </button>
      {open && <AskedDialog experiment={experiment} asked={asked} label={label} close={() => setOpen(false)} />}
    </>
  );
}

interface AskedProps {
  experiment: string;
  asked: FigureAsked;
  label: string;
  close: () => void;
}

function AskedDialog({ experiment, asked, ...rest }: AskedProps) {
  return <DerivationDialog query={useDerivation(experiment, asked)} {...rest} />;
}

interface DialogProps {
  query: ReturnType<typeof useDerivation>;
  label: string;
  close: () => void;
}

/** How a figure is made, once it is known. */
export function DerivationDialog({ query, label, close }: DialogProps) {
  return (
    <Dialog title={query.data?.title ?? label} close={close}>
      {query.isPending && <Skeleton rows={4} />}
      <FormError error={query.error} />
      {query.data && (
        <div>
          <p>{query.data.words}</p>
          <p className="mt-2 rounded bg-base-200 px-3 py-2 font-serif text-[15px]">{query.data.formula}</p>
          <p className="quiet mt-1 text-sm">{query.data.source}</p>
          <div className="mt-3 grid grid-cols-2 gap-6 text-sm">
            {(
              [
                ["What was counted", query.data.inputs],
                ["What is made of it", query.data.steps],
              ] as const
            ).map(([title, lines]) => (
              <section key={title}>
                <h3 className="font-sans font-semibold">{title}</h3>
                <dl>
                  {lines.map((line) => (
                    <div key={line.name} className="flex justify-between gap-3 border-b border-base-300 py-0.5">
                      <dt>{line.name}</dt>
                      <dd>{line.value}</dd>
                    </div>
                  ))}
                </dl>
              </section>
            ))}
          </div>
          <div className="mt-4 flex items-center justify-end gap-2">
            <CopyTable
              text={tableText(
                ["name", "value"],
                [...query.data.inputs, ...query.data.steps].map((line) => [line.name, line.value.replace("−", "-")]),
              )}
            />
            <button type="button" className="btn btn-sm" onClick={close}>
              Close
            </button>
          </div>
        </div>
      )}
    </Dialog>
  );
}
