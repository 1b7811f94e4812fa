import { useState } from "react";
import { Link } from "react-router";
import type { DeviceUse, PageUse } from "../../../api/client";
import { usePageUse } from "../../../api/hooks";
import { count, pvalue } from "../../../lib/format";
import { Failure, Panel, Skeleton } from "../../../parts/basics";
import { DataTable, type Column } from "../../../parts/DataTable";
import { Letter } from "../../../parts/Letter";
import { useEditing } from "../../editing";
import { DepthPicture } from "./DepthPicture";
import { OutlinePicture } from "./OutlinePicture";
import { points, shareText } from "../../../lib/shares";

const TITLES: Record<DeviceUse["device"], string> = { phone: "Phone", computer: "Computer" };

/** Where visitors clicked on the page and how far down they came, per variant; only where the experiment has a page. */
export function PageUsePanel() {
  const { experiment } = useEditing();
  const use = usePageUse(experiment.key, Boolean(experiment.page) && experiment.data_from === "events");
  const [chosen, setChosen] = useState<DeviceUse["device"]>();
  if (!experiment.page || experiment.data_from !== "events") return null;
  const devices = use.data?.devices ?? [];
  const most = [...devices].sort((a, b) => followed(b) - followed(a))[0];
  const device = devices.find((one) => one.device === chosen) ?? most;
  return (
    <Panel
      fold="page-use"
      title="Where they clicked, how far they read"
      note="exploratory: it decides nothing"
      action={
        device &&
        followed(device) > 0 && (
          <div role="group" aria-label="Device" className="flex gap-1">
            {devices.map((one) => (
              <button
                key={one.device}
                className={`btn btn-xs ${one === device ? "btn-primary" : ""}`}
                aria-pressed={one === device}
                onClick={() => setChosen(one.device)}
              >
                {TITLES[one.device]} {count(followed(one))}
              </button>
            ))}
          </div>
        )
      }
    >
      {use.isPending && <Skeleton rows={3} />}
      {use.isError && <Failure error={use.error} again={() => void use.refetch()} />}
      {use.data && device && followed(device) > 0 && (
        <OfDevice use={use.data} device={device} names={experiment.variants.map(({ name }) => name)} />
      )}
      {use.data && (!device || followed(device) === 0) && (
        <p className="quiet text-sm">
          Nobody has been followed on {experiment.page} yet. The script of version 1.3 and later follows{" "}
          {shareText(use.data.share)} of the {experiment.unit_name} in the experiment; what they do comes when they
          leave the page.
        </p>
      )}
    </Panel>
  );
}

const followed = (device: DeviceUse): number => device.units.reduce((sum, units) => sum + units, 0);

function OfDevice({ use, device, names }: { use: PageUse; device: DeviceUse; names: string[] }) {
  const { experiment } = useEditing();
  const { letters } = use;
  return (
    <>
      <p className="mb-2 text-sm">
        {letters.map((letter, arm) => `${letter}: ${count(device.units[arm] ?? 0)}`).join(", ")} {experiment.unit_name},{" "}
        {use.share < 1
          ? `a sample of ${shareText(use.share)} drawn by hash, alike in all variants`
          : "all in the experiment"}
        .{use.full && " More came than are followed; those who came later are not among them."} {halves(use, device)}
      </p>
      {device.outlines.length === 0 && (
        <p className="quiet mb-2 text-sm">
          No outline of the page yet.{" "}
          <Link className="link" to={`/experiments/${experiment.key}/brief?look=${letters.at(-1)}`}>
            Show the variants
          </Link>{" "}
          in the Brief once, and clicks are drawn where the elements stand.
        </p>
      )}
      <div className="flex flex-wrap gap-x-8 gap-y-3">
        {device.outlines.length > 0 && (
          <div className={device.device === "phone" ? "max-w-full grow-0 basis-96" : "grow basis-full"}>
            <h3 className="mb-1 font-semibold">Where they clicked</h3>
            <OutlinePicture device={device} letters={letters} names={names} />
          </div>
        )}
        <div className="min-w-0 grow basis-72">
          <h3 className="mb-1 font-semibold">How far down they came</h3>
          <DepthPicture device={device} letters={letters} />
        </div>
      </div>
      <h3 className="mt-3 mb-1 font-semibold">What they clicked</h3>
      {device.elements.length > 0 ? (
        <DataTable
          label="What they clicked"
          rows={device.elements}
          rowKey={(row) => row.key}
          columns={elementColumns(use, device)}
          maxHeight="26rem"
          below={
            device.more > 0 ? (
              <p className="quiet text-xs">{count(device.more)} more were clicked by fewer.</p>
            ) : undefined
          }
        />
      ) : (
        <p className="quiet text-sm">Nothing yet.</p>
      )}
      <details className="mt-3">
        <summary className="cursor-pointer text-sm">Each tenth of the page, as a table</summary>
        <DataTable
          label="Each tenth of the page"
          rows={device.tenths.map((tenth, at) => ({ ...tenth, at }))}
          rowKey={(row) => row.at}
          columns={tenthColumns(use, device)}
          sortable={false}
        />
      </details>
      <p className="quiet mt-2 text-xs">
        Shares are of the {experiment.unit_name} who were followed; a click counts once for each of them. Differences
        are from A, in percentage points, with intervals and p among all elements and variants (Benjamini–Hochberg), and
        among all tenths. What one variant alone has is not tested, nor where fewer than 5 are expected, in either, to
        do it or not to.
      </p>
    </>
  );
}

/** How far down half of the visitors of each variant come. */
function halves({ letters }: PageUse, { tenths, units }: DeviceUse): string {
  const parts = letters.flatMap((letter, arm) => {
    const of = units[arm] ?? 0;
    if (!of) return [];
    const deepest = tenths.filter(({ reached }) => 2 * (reached[arm] ?? 0) >= of).length;
    return [`${deepest * 10}% of the page in ${letter}`];
  });
  return parts.length ? `Half of them come down to ${parts.join(", ")}.` : "";
}

type Element = DeviceUse["elements"][number];
type Tenth = DeviceUse["tenths"][number] & { at: number };
type Difference = NonNullable<Element["differences"][number]>;

function elementColumns({ letters }: PageUse, { units }: DeviceUse): Column<Element>[] {
  return [
    {
      name: "Element",
      align: "left",
      hideable: false,
      className: "min-w-40 break-words",
      value: (row) => row.name,
      cell: (row) => <span title={row.key}>{row.name}</span>,
    },
    ...letters.map((letter, arm): Column<Element> => {
      const share = (row: Element) => shareOf(row.clicked[arm], units[arm]);
      return { name: letter, head: <Letter letter={letter} />, value: share, cell: (row) => shareText(share(row)) };
    }),
    ...letters.slice(1).map((letter, arm): Column<Element> => ({
      ...against(letter, letters, (row: Element) => row.differences[arm]),
      cell: (row) => {
        const apart = row.differences[arm];
        if (apart) return <Apart apart={apart} />;
        return <span className="quiet">{whyNot(row, letter, arm + 1)}</span>;
      },
    })),
  ];
}

function whyNot({ clicked }: Element, letter: string, arm: number): string {
  if (clicked[0] == null) return `only in ${letter}`;
  return clicked[arm] == null ? `not in ${letter}` : "too few";
}

function tenthColumns({ letters }: PageUse, { units }: DeviceUse): Column<Tenth>[] {
  return [
    {
      name: "Down to",
      align: "left",
      hideable: false,
      value: (row) => `${(row.at + 1) * 10}%`,
      cell: (row) => `${(row.at + 1) * 10}%`,
    },
    ...letters.map((letter, arm): Column<Tenth> => {
      const share = (row: Tenth) => shareOf(row.reached[arm], units[arm]);
      return { name: `came, ${letter}`, value: share, cell: (row) => shareText(share(row)) };
    }),
    ...letters.slice(1).map((letter, arm): Column<Tenth> => ({
      ...against(letter, letters, (row: Tenth) => row.differences[arm]),
      cell: (row) => {
        const apart = row.differences[arm];
        return apart ? <Apart apart={apart} /> : "–";
      },
    })),
    ...letters.map((letter, arm): Column<Tenth> => ({
      name: `in view, ${letter}`,
      value: (row) => row.seconds[arm],
      cell: (row) => `${(row.seconds[arm] ?? 0).toFixed(1)} s`,
    })),
  ];
}

/** Name, value and copies of a column of differences; without its cell. */
function against<Row>(
  letter: string,
  letters: string[],
  of: (row: Row) => Difference | null | undefined,
): Omit<Column<Row>, "cell"> {
  const what = letters.length > 2 ? `${letter} against A` : "against A";
  return {
    name: what,
    className: "whitespace-nowrap",
    value: (row) => of(row)?.value,
    copied: [
      [what, (row) => of(row)?.value],
      [`${what} low`, (row) => of(row)?.low],
      [`${what} high`, (row) => of(row)?.high],
      [`${what} adjusted p`, (row) => of(row)?.adjusted],
    ],
  };
}

function Apart({ apart }: { apart: Difference }) {
  return (
    <span className={apart.clear ? "font-semibold" : "quiet"}>
      {points(apart.value)}{" "}
      <span className="quiet text-xs font-normal">
        {points(apart.low)} to {points(apart.high)} · p {pvalue(apart.adjusted)}
      </span>
    </span>
  );
}

const shareOf = (units: number | null | undefined, of: number | undefined): number | null =>
  units == null || !of ? null : units / of;
