import { useState } from "react";
import { DataTable } from "../../parts/DataTable";
import { Panel } from "../../parts/basics";
import { plural } from "../../lib/format";
import { useRegions } from "./planning";

/** The pairs there are, how alike they are, and who is kept out or must stay in. */
export function PairsPanel() {
  const { plan, open } = useRegions();
  const [shown, setShown] = useState(false);
  if (!plan.past) return null;
  const listed = plan.listed.length > 0;
  return (
    <Panel
      title="Pairs"
      note={
        plan.matched.length === 0
          ? "none yet"
          : `${plural(plan.matched.length, "pair")} ${listed ? "as listed" : "of similar regions, matched by level, trend, weekly pattern and course of the year"}`
      }
    >
      {plan.balance.length > 0 && (
        <DataTable
          label="How far apart regions are"
          rows={plan.balance}
          rowKey={(row) => row.feature}
          sortable={false}
          columns={[
            { name: "Feature", align: "left", cell: (row) => row.feature, value: (row) => row.feature },
            {
              name: "Any two regions",
              cell: (row) => row.any_two.toFixed(2),
              value: (row) => row.any_two,
              align: "right",
            },
            {
              name: "The two of a pair",
              cell: (row) => row.paired.toFixed(2),
              value: (row) => row.paired,
              align: "right",
            },
          ]}
          below={<span className="quiet">Average distance in standard deviations of all regions.</span>}
        />
      )}
      {plan.without_partner.length > 0 && (
        <p className="mt-1 text-sm">
          Without a good partner, and so not analysed: {plan.without_partner.slice(0, 12).join(", ")}
          {plan.without_partner.length > 12 ? ` and ${plan.without_partner.length - 12} more` : ""}.
        </p>
      )}
      {plan.matched.length > 0 && (
        <button className="link text-sm" aria-expanded={shown} onClick={() => setShown(!shown)}>
          {shown ? "Hide the pairs" : "Show the pairs"}
        </button>
      )}
      {shown && (
        <DataTable
          label="Pairs of regions"
          rows={plan.matched}
          rowKey={(row) => `${row.first}-${row.second}`}
          maxHeight="18rem"
          columns={[
            { name: "One", align: "left", cell: (row) => row.first, value: (row) => row.first },
            { name: "The other", align: "left", cell: (row) => row.second, value: (row) => row.second },
            { name: "Distance", cell: (row) => row.distance.toFixed(2), value: (row) => row.distance, align: "right" },
          ]}
        />
      )}
      <Names label="Kept out" field="excluded" names={plan.excluded} open={open} />
      <Names label="Must stay in" field="must" names={plan.must} open={open} />
      <Listed open={open} />
    </Panel>
  );
}

interface NamesProps {
  label: string;
  field: "excluded" | "must";
  names: readonly string[];
  open: boolean;
}

/** Regions chosen one by one, each with the way to drop it. */
function Names({ label, field, names, open }: NamesProps) {
  const { plan, save, errorFor } = useRegions();
  const [typed, setTyped] = useState("");
  const list = `regions-${field}`;
  const add = () => {
    const name = typed.trim();
    if (!name || names.includes(name)) return;
    save({ [field]: [...names, name], pairs: null, weeks: null });
    setTyped("");
  };
  return (
    <form
      className="flex flex-wrap items-center gap-2 border-t border-base-300 py-1.5 text-sm"
      onSubmit={(event) => {
        event.preventDefault();
        add();
      }}
    >
      <span className="w-28">{label}</span>
      {names.map((name) => (
        <span key={name} className="badge badge-sm gap-1">
          {name}
          {open && (
            <button
              type="button"
              aria-label={`${label}: remove ${name}`}
              onClick={() => save({ [field]: names.filter((one) => one !== name), pairs: null, weeks: null })}
            >
              ×
            </button>
          )}
        </span>
      ))}
      {open && (
        <>
          <input
            className="input input-sm w-44"
            aria-label={`${label}: a region`}
            list={list}
            value={typed}
            onChange={(event) => setTyped(event.target.value)}
          />
          <datalist id={list}>
            {plan.regions.map((name) => (
              <option key={name} value={name} />
            ))}
          </datalist>
          <button className="btn btn-xs">Add</button>
        </>
      )}
      {names.length === 0 && !open && <span className="quiet">none</span>}
      {errorFor(field) && (
        <span role="alert" className="text-error">
          {errorFor(field)}
        </span>
      )}
    </form>
  );
}

/** Pairs in place of matched ones: two names a line. */
function Listed({ open }: { open: boolean }) {
  const { plan, save, errorFor } = useRegions();
  const [typed, setTyped] = useState<string | null>(null);
  const [wrong, setWrong] = useState("");
  const text = typed ?? plan.listed.map((pair) => pair.join("\t")).join("\n");
  const keep = () => {
    const lines = text.split("\n").filter((line) => line.trim());
    const pairs = lines.map((line) => line.split(/[\t;,]/).map((name) => name.trim()));
    const odd = pairs.findIndex((pair) => pair.length !== 2 || pair.some((name) => !name));
    if (odd >= 0) {
      setWrong(`Line ${odd + 1} (${lines[odd]}) must have two regions, with a comma, semicolon or tab between them`);
      return;
    }
    setWrong("");
    save({ listed: pairs, pairs: null, weeks: null });
  };
  if (!open && plan.listed.length === 0) return null;
  return (
    <details className="border-t border-base-300 py-1.5 text-sm">
      <summary className="link">Pairs from a list of your own</summary>
      <textarea
        className="textarea textarea-sm mt-1 w-full font-mono"
        rows={5}
        aria-label="Pairs, two regions a line"
        value={text}
        readOnly={!open}
        onChange={(event) => setTyped(event.target.value)}
        placeholder={"Brelmouth, Corvstead\nDaskwick, Elmham"}
      />
      {open && (
        <button className="btn btn-xs" onClick={keep}>
          Use these pairs
        </button>
      )}
      {(wrong || errorFor("listed")) && (
        <p role="alert" className="text-error">
          {wrong || errorFor("listed")}
        </p>
      )}
    </details>
  );
}
