import { NavLink, useSearchParams } from "react-router";
import { CountsPad } from "./CountsPad";
import { SizePad } from "./SizePad";
import { useTitle } from "../parts/title";

/** Answers without an experiment. All of it is in the address, so that it can be shared. */
export function ScratchpadPage() {
  useTitle("Scratchpad");
  const [params] = useSearchParams();
  const sizing = params.get("ask") === "size";
  return (
    <main className="mx-auto max-w-[1180px] px-6 pt-3 pb-12 max-sm:px-3">
      <div className="mb-3 flex flex-wrap items-end gap-x-6">
        <h1 className="text-[27px]">Scratchpad</h1>
        <nav aria-label="Questions" className="flex gap-4">
          <Question to="/scratchpad" active={!sizing}>
            What do these counts say?
          </Question>
          <Question to="/scratchpad?ask=size" active={sizing}>
            How many do I need?
          </Question>
        </nav>
        <span className="quiet ml-auto text-sm">The address of this page holds what you type.</span>
      </div>
      {sizing ? <SizePad /> : <CountsPad />}
    </main>
  );
}

function Question({ to, active, children }: { to: string; active: boolean; children: string }) {
  return (
    <NavLink
      to={to}
      className={`border-b-2 pb-0.5 ${active ? "border-primary font-semibold" : "quiet border-transparent"}`}
    >
      {children}
    </NavLink>
  );
}
