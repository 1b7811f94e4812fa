import {
  Autocomplete,
  Collection,
  Header,
  Input,
  Menu,
  MenuItem,
  MenuSection,
  Modal,
  ModalOverlay,
  Dialog as AriaDialog,
  SearchField,
} from "react-aria-components";
import { useLocation, useNavigate } from "react-router";
import type { Schemas } from "../api/client";
import { useSearch } from "../api/hooks";
import { plural } from "../lib/format";
import { useSettled } from "../lib/useSettled";
import { PLACE_TITLES, STATES } from "../lib/words";
import { PLACES } from "./places";

interface Entry {
  id: string;
  title: string;
  note: string;
  run: () => void;
}

interface Section {
  id: string;
  entries: Entry[];
}

interface Props {
  close: () => void;
  /** What can be done from everywhere. */
  actions: { title: string; run: () => void }[];
  /** Held by who opens it, for somebody may type before it has come. */
  typed: string;
  type: (text: string) => void;
}

const PAUSE = 150; // milliseconds, in typing, until the server is asked
const WHERE: Record<Schemas["FoundExperiment"]["where"], string> = {
  name: "",
  area: "Area",
  change: "Change",
  hypothesis: "Hypothesis",
  audience: "Audience",
  lesson: "Lesson",
  decision: "Decision",
};

/** Finds experiments, their sheets, metrics, people, places and actions over the open page, which stays until one is chosen. */
export default function Palette({ close, actions, typed, type }: Props) {
  const navigate = useNavigate();
  const { pathname } = useLocation();
  const words = useSettled(typed.trim(), PAUSE);
  const found = useSearch(words);
  const go = (address: string) => void navigate(address);
  const data = words && typed.trim() ? found.data : undefined;
  const sections = [
    { id: "This experiment", entries: fitting(sheetsAt(pathname, go), typed) },
    { id: "Experiments", entries: data ? experiments(data, typed.trim(), go) : [] },
    { id: "Metrics", entries: data ? metrics(data, go) : [] },
    { id: "People", entries: data ? people(data, go) : [] },
    {
      id: "Places",
      entries: fitting(
        PLACES.map(({ to, title }) => entry(to, title, () => go(to))),
        typed,
      ),
    },
    {
      id: "Actions",
      entries: fitting(
        actions.map(({ title, run }) => entry(title, title, run)),
        typed,
      ),
    },
  ].filter((section) => section.entries.length > 0);
  const all = sections.flatMap((section) => section.entries);
  const choose = (id: string) => {
    close();
    all.find((one) => one.id === id)?.run();
  };
  return (
    <ModalOverlay
      isOpen
      isDismissable
      onOpenChange={(open) => !open && close()}
      className="fixed inset-0 z-50 flex items-start justify-center bg-black/40 p-4 pt-[10vh] max-sm:p-2"
    >
      <Modal className="sheet flex max-h-[75vh] w-full max-w-xl flex-col overflow-hidden">
        <AriaDialog aria-label="Find" className="flex min-h-0 flex-col outline-none">
          <Autocomplete inputValue={typed} onInputChange={type}>
            <SearchField aria-label="Find" autoFocus className="border-b border-base-300 p-2">
              <Input
                className="input w-full"
                maxLength={200}
                placeholder="Experiments, hypotheses, lessons, metrics, people"
              />
            </SearchField>
            <Menu
              aria-label="Found"
              className="min-h-0 overflow-auto p-2 outline-none"
              items={sections}
              dependencies={[sections]}
              onAction={(id) => choose(String(id))}
              renderEmptyState={() => (
                <p className="quiet px-2 py-1">
                  {found.isError
                    ? "The search does not answer. Try again in a moment."
                    : found.isFetching || words !== typed.trim()
                      ? "Searching…"
                      : `Nothing holds “${typed.trim()}”. Use fewer words, or a part of one.`}
                </p>
              )}
            >
              {(section: Section) => (
                <MenuSection id={section.id}>
                  <Header className="quiet px-2 pt-1.5 text-xs">{section.id}</Header>
                  <Collection items={section.entries}>
                    {(one: Entry) => (
                      <MenuItem
                        textValue={one.title}
                        className="cursor-pointer rounded px-2 py-1 outline-none data-focused:bg-base-200"
                      >
                        <span className="block truncate" dir="auto">
                          {one.title}
                        </span>
                        {one.note && <span className="quiet block truncate text-xs">{one.note}</span>}
                      </MenuItem>
                    )}
                  </Collection>
                </MenuSection>
              )}
            </Menu>
          </Autocomplete>
          <p className="sr-only" role="status">
            {data ? `${plural(data.experiments.length + data.further, "experiment")} found` : ""}
          </p>
        </AriaDialog>
      </Modal>
    </ModalOverlay>
  );
}

function entry(id: string, title: string, run: () => void, note = ""): Entry {
  return { id, title, note, run };
}

/** Those whose title holds all words. */
function fitting(entries: Entry[], typed: string): Entry[] {
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  return entries.filter((one) => words.every((word) => one.title.toLowerCase().includes(word)));
}

/** The sheets of the experiment that is open. */
function sheetsAt(pathname: string, go: (address: string) => void): Entry[] {
  const key = /^\/experiments\/([^/]+)\//.exec(pathname)?.[1];
  if (!key) return [];
  return Object.entries(PLACE_TITLES).map(([name, title]) => {
    const address = `/experiments/${key}/${name}`;
    return entry(address, title, () => go(address));
  });
}

function experiments(found: Schemas["SearchOut"], typed: string, go: (address: string) => void): Entry[] {
  const lines = found.experiments.map((one) => {
    const place = one.excerpt && `${WHERE[one.where]}: ${one.excerpt}`;
    const state = STATES[one.state as keyof typeof STATES] ?? one.state;
    return entry(
      `experiment ${one.key}`,
      one.name,
      () => go(`/experiments/${one.key}/${one.where === "lesson" || one.where === "decision" ? "verdict" : "brief"}`),
      [state, one.area, place].filter(Boolean).join(" · "),
    );
  });
  if (found.further === 0) return lines;
  const rest = `/?${new URLSearchParams({ search: typed }).toString()}`;
  return [...lines, entry("further", `${plural(found.further, "more experiment")}`, () => go(rest), "in the docket")];
}

function metrics(found: Schemas["SearchOut"], go: (address: string) => void): Entry[] {
  return found.metrics.map((one) =>
    entry(
      `metric ${one.key}`,
      one.name,
      () => go(`/metrics/${one.key}`),
      `in ${plural(one.experiments, "experiment")}`,
    ),
  );
}

function people(found: Schemas["SearchOut"], go: (address: string) => void): Entry[] {
  return found.people.map((one) =>
    entry(
      `person ${one.username}`,
      one.display_name,
      () => go(`/?owner=${encodeURIComponent(one.username)}`),
      plural(one.experiments, "experiment"),
    ),
  );
}
