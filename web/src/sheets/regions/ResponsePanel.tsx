import type { RegionReading, RegionResponse } from "../../api/regions";
import { ResponsePicture } from "../../charts/ResponsePicture";
import { signed } from "../../lib/format";
import { Panel } from "../../parts/basics";
import { DataTable } from "../../parts/DataTable";
import { Term } from "../../parts/Term";
import { between, capital, named, share } from "./words";

type Curve = RegionResponse["curves"][number];

/** The levels that were tried, the curves through them, and how little they say of no spending at all. */
export function ResponsePanel({ shown, response }: { shown: RegionReading; response: RegionResponse }) {
  const outcome = named(shown.outcome);
  const { at_most: atMost, curves } = response;
  return (
    <Panel
      title={
        <>
          {capital(outcome)} by what is spent <Term name="Response curve">(response)</Term>
        </>
      }
      note="lift against the usual; the verdict is on the levels that were tried, and on no other"
    >
      <ResponsePicture response={response} />
      <p className="mt-2">
        {!response.rising
          ? "A level with more spend has less of it: that contradicts that more brings no less, and nothing is said beyond the levels."
          : !response.flattening
            ? "The step up brings more a unit than the step down: that contradicts that each further unit brings no more than the one before, and nothing is said beyond the levels."
            : "The levels agree with more bringing no less, and each further unit no more than the one before."}{" "}
        {isOrdered(response)
          ? "They are in rising order as found."
          : `In rising order they would lie at ${response.isotonic.map(signed).join(", ")}.`}
      </p>
      {atMost !== null && (
        <>
          <p className="mt-1">
            <span className="font-semibold">Without any spending</span>, which was not tried, {outcome} would lose{" "}
            {atMost < 0 ? `at least ${share(-atMost)}` : "nothing for certain"} if each further unit brings no more than
            the one before. How much more hangs on the form of the curve:
          </p>
          <DataTable
            label="Without any spending, by form of the curve"
            rows={curves}
            rowKey={(row: Curve) => row.name}
            sortable={false}
            columns={[
              { name: "Form of the curve", align: "left", cell: (row) => capital(row.name), value: (row) => row.name },
              {
                name: "Lift without any spending",
                cell: (row) => (row.nothing ? signed(row.nothing.estimate) : "no such curve fits"),
                value: (row) => row.nothing?.estimate,
              },
              {
                name: "All curves through both intervals",
                cell: (row) => (row.nothing ? between(row.nothing, signed) : ""),
                value: (row) => row.nothing?.low,
              },
            ]}
          />
        </>
      )}
    </Panel>
  );
}

function isOrdered({ isotonic, levels }: RegionResponse): boolean {
  const found = [levels[0]?.lift.estimate, 0, levels[1]?.lift.estimate];
  return isotonic.every((value, place) => Math.abs(value - (found[place] ?? 0)) < 1e-9);
}
