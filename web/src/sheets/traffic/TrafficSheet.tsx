import { Sharing } from "../allocation/Sharing";
import { useEditing } from "../editing";
import { AudiencePanel } from "./AudiencePanel";
import { Dates } from "./Dates";
import { Engineers } from "./Engineers";
import { Forced } from "./Forced";
import { ReadinessPanel } from "./ReadinessPanel";
import { Source } from "./Source";
import { TakePart } from "./TakePart";
import { WhoCounts } from "./WhoCounts";
import { WithoutTest } from "./WithoutTest";

/** Whether all is ready, who gets what, how many are included, and from when to when. */
export function TrafficSheet() {
  const { experiment } = useEditing();
  const served = experiment.data_from === "events";
  const ahead = experiment.state === "draft" || experiment.state === "scheduled";
  return (
    <>
      {ahead && <ReadinessPanel />}
      <Source />
      <Sharing />
      {served && <AudiencePanel />}
      <WhoCounts />
      <TakePart />
      <Dates />
      {served && <Forced />}
      {served && experiment.state === "draft" && experiment.round === 1 && <WithoutTest />}
      {served && <Engineers />}
    </>
  );
}
