import { Link } from "react-router";
import type { components } from "../api/schema";
import { useRegionCases } from "../api/outcome";
import { verdictNamed } from "../api/vocabulary";
import { sideOf } from "../charts/ReturnPicture";
import { scaleLinear } from "d3-scale";
import { day } from "../lib/format";
import { TONE_CLASS, TONE_COLOUR } from "../lib/words";
import { Panel } from "../parts/basics";
import { DataTable } from "../parts/DataTable";
import { between, figure, named } from "../sheets/regions/words";

type Channel = components["schemas"]["ChannelOut"];
type Case = Channel["cases"][number];
const WIDTH = 150;

/** What each channel brought, test after test; nothing where no test by region is decided. */
export function RegionCases() {
  const channels = useRegionCases().data?.channels ?? [];
  if (channels.length === 0) return null;
  return (
    <Panel title="What the money brought" note="tests by region: the incremental return of each channel over time">
      {channels.map((channel) => (
        <ChannelTable key={channel.tested} channel={channel} />
      ))}
    </Panel>
  );
}

function ChannelTable({ channel }: { channel: Channel }) {
  const ends = channel.cases.flatMap((one) => [0, one.break_even, ...inside(one)]);
  const domain: [number, number] = [Math.min(...ends), Math.max(...ends)];
  return (
    <section className="mb-3">
      <h3 className="mb-1 font-sans text-sm font-semibold">{channel.tested}</h3>
      <DataTable
        label={channel.tested}
        rows={channel.cases}
        rowKey={(row) => `${row.key} ${row.step}`}
        sortable={false}
        columns={[
          {
            name: "Decided",
            align: "left",
            cell: (row) => day(row.decided_at),
            value: (row) => row.decided_at,
            responsive: "max-md:hidden",
          },
          {
            name: "Test",
            align: "left",
            cell: (row) => (
              <Link className="link" to={`/reports/${row.key}`}>
                <bdi>{row.name}</bdi>
                {row.step && <span className="quiet block text-xs">{row.step}</span>}
              </Link>
            ),
            value: (row) => `${row.name} ${row.step}`.trim(),
          },
          {
            name: "Verdict",
            align: "left",
            cell: (row) => {
              const look = verdictNamed(row.verdict);
              return (
                <span className={TONE_CLASS[look.tone]}>
                  <span aria-hidden>{look.mark}</span> {look.title}
                </span>
              );
            },
            value: (row) => verdictNamed(row.verdict).title,
          },
          {
            name: "Interval",
            cell: (row) => <Strip one={row} domain={domain} />,
            responsive: "max-md:hidden",
          },
          {
            name: "Return a unit of spend",
            className: "max-md:whitespace-normal",
            cell: (row) =>
              row.incremental ? (
                <>
                  {figure(row.incremental.estimate)}{" "}
                  <span className="quiet">
                    ({between(row.incremental, figure)}) {named(row.outcome)} a {row.currency}
                  </span>
                </>
              ) : (
                "nothing may be read"
              ),
            value: (row) => row.incremental?.estimate,
          },
          {
            name: "Pays from",
            cell: (row) => figure(row.break_even),
            value: (row) => row.break_even,
            responsive: "max-md:hidden",
          },
        ]}
      />
    </section>
  );
}

function inside(one: Case): number[] {
  const { incremental } = one;
  return incremental
    ? [incremental.estimate, incremental.low ?? incremental.estimate, incremental.high ?? incremental.estimate]
    : [];
}

function Strip({ one, domain }: { one: Case; domain: [number, number] }) {
  if (!one.incremental) return null;
  const x = scaleLinear()
    .domain(domain)
    .range([6, WIDTH - 6]);
  // The verdict of a graded test is on both its steps; each line has the colour of its own.
  const colour = one.step ? sideOf(one.incremental, one.break_even) : TONE_COLOUR[verdictNamed(one.verdict).tone];
  const { low, high, estimate } = one.incremental;
  return (
    <svg
      width={WIDTH}
      height={22}
      role="img"
      aria-label={`Return ${figure(estimate)}, pays from ${figure(one.break_even)}`}
    >
      <line x1={x(one.break_even)} x2={x(one.break_even)} y1={0} y2={22} stroke="var(--color-base-content)" />
      <line
        x1={low === null ? 0 : x(low)}
        x2={high === null ? WIDTH : x(high)}
        y1={11}
        y2={11}
        stroke={colour}
        strokeWidth={3.5}
      />
      <rect
        x={-4}
        y={-4}
        width={8}
        height={8}
        transform={`translate(${x(estimate)} 11) rotate(45)`}
        fill="var(--color-base-100)"
        stroke={colour}
        strokeWidth={1.8}
      />
    </svg>
  );
}
