import { useSearchParams } from "react-router";
import glossary from "./api/glossary.json";
import { Empty } from "./parts/basics";
import { useTitle } from "./parts/title";

/** The words of the product and of the trade, as they are meant here. */
export function GlossaryPage() {
  useTitle("Glossary");
  const [params, setParams] = useSearchParams();
  const search = params.get("find") ?? "";
  const shown = glossary
    .filter((term) => `${term.name} ${term.explanation}`.toLowerCase().includes(search.trim().toLowerCase()))
    .sort((a, b) => a.name.localeCompare(b.name));
  return (
    <main className="mx-auto max-w-[860px] px-6 pt-4 pb-12 max-sm:px-3">
      <div className="mb-3 flex flex-wrap items-center gap-3">
        <h1 className="grow text-[27px]">Glossary</h1>
        <input
          type="search"
          className="input input-sm w-64"
          aria-label="Search the glossary"
          placeholder="Search the glossary"
          value={search}
          onChange={(event) => setParams(event.target.value ? { find: event.target.value } : {}, { replace: true })}
        />
      </div>
      {shown.length === 0 ? (
        <Empty title="No match">Use fewer letters, or another word.</Empty>
      ) : (
        <dl className="sheet divide-y divide-base-300 px-4">
          {shown.map((term) => (
            <div
              key={term.name}
              id={term.name}
              className="grid grid-cols-[200px_minmax(0,1fr)] gap-x-4 py-2 max-sm:grid-cols-1"
            >
              <dt className="font-semibold">
                {term.name}
                {term.own && <span className="quiet block text-xs font-normal">a word of this product</span>}
              </dt>
              <dd>{term.explanation}</dd>
            </div>
          ))}
        </dl>
      )}
      <p className="quiet mt-4 text-sm">
        Licences of what is shipped:{" "}
        <a className="link" href="/static/licenses.md">
          scripts
        </a>
        ,{" "}
        <a className="link" href="/static/licenses-fonts.txt">
          fonts
        </a>
        .
      </p>
    </main>
  );
}
