import { useState } from "react";
import { useNavigate } from "react-router";
import { Panel } from "../../parts/basics";
import { useEditing } from "../editing";
import { RolloutForm } from "../verdict/RolloutForm";

/** A variant that is made for some people, and given to them without a test. */
export function WithoutTest() {
  const { experiment, mayAct } = useEditing();
  const navigate = useNavigate();
  const [asking, setAsking] = useState(false);
  if (!mayAct) return null;
  return (
    <Panel fold="without-a-test" title="Without a test" note="for a variant that is made for some people">
      {asking ? (
        <>
          <p className="text-sm">
            No verdict will follow. What it brings is measured against those held out: with too few of them nothing is
            known.
          </p>
          <RolloutForm
            rollout={null}
            withoutTest
            close={() => setAsking(false)}
            done={() => void navigate(`/experiments/${experiment.key}/verdict`)}
          />
        </>
      ) : (
        <div className="flex flex-wrap items-center gap-3">
          <p className="quiet grow text-sm">Some get a variant by conditions of their own, everybody else keeps A.</p>
          <button className="btn btn-sm" onClick={() => setAsking(true)}>
            Give it without a test…
          </button>
        </div>
      )}
    </Panel>
  );
}
