import type { Reading } from "../../api/client";
import { useStep } from "../../api/hooks";
import { useWritten } from "../../lib/drafts";
import { errorOf, FormError, Panel } from "../../parts/basics";
import { useEditing } from "../editing";
import { DecisionFields, suggestedNote } from "./DecisionFields";
import { planErrors, planOf, RolloutFields, sentPlan } from "./RolloutForm";

/** What the person decides. Differing from the rule is allowed and needs a reason. */
export function DecisionForm({ reading }: { reading: Reading }) {
  const { experiment } = useEditing();
  const step = useStep(experiment.key);
  // What was written before the page was left is there again; it is done with once the decision is recorded.
  const { form, write, done } = useWritten("decision", {
    choice: reading.suggested,
    reason: "",
    next: "",
    now: true,
    plan: planOf(null),
  });
  const { choice, reason, next, now, plan } = form;
  const rolledOut = choice !== "" && choice !== "none" && choice !== reading.arms[0]?.letter;
  const errors = planErrors(step.error, plan, "rollout.");
  const options = [
    ...reading.arms.map((arm, index) => ({
      value: arm.letter,
      label: index === 0 ? `Keep ${arm.letter}: ${arm.name}` : `Roll out ${arm.letter}: ${arm.name}`,
    })),
    { value: "none", label: "No rollout; it stays open" },
  ];
  return (
    <Panel title="Your decision" note={suggestedNote(reading.suggested)}>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          const rollout = rolledOut && now ? sentPlan(plan, choice) : null;
          step.mutateAsync({ kind: "decide", choice, reason, next_step: next, rollout }).then(done, () => undefined);
        }}
      >
        <DecisionFields
          options={options}
          suggested={reading.suggested}
          choice={choice}
          choose={(choice) => write({ choice })}
          reason={reason}
          explain={(reason) => write({ reason })}
          error={errorOf(step.error, "reason")}
        />
        {rolledOut && (
          <fieldset className="mt-3 border-l-2 border-base-300 pl-3">
            <legend className="quiet text-sm">Rollout of {choice}</legend>
            <label className="flex items-center gap-2">
              <input
                type="radio"
                name="rollout"
                className="radio radio-sm"
                checked={now}
                onChange={() => write({ now: true })}
              />
              With the decision
            </label>
            {now && (
              <div className="my-2 ml-6">
                <RolloutFields
                  plan={plan}
                  change={(part) => write({ plan: { ...plan, ...part(plan) } })}
                  decided={choice}
                  error={step.error}
                  path="rollout."
                />
                {errors.length > 0 && (
                  <p role="alert" className="mt-2 text-sm text-error">
                    {errors.join("; ")}
                  </p>
                )}
              </div>
            )}
            <label className="flex items-center gap-2">
              <input
                type="radio"
                name="rollout"
                className="radio radio-sm"
                checked={!now}
                onChange={() => write({ now: false })}
              />
              Later: who has {choice} keeps it, and nobody else gets it yet
            </label>
          </fieldset>
        )}
        <label className="mt-2 block">
          <span className="quiet block text-sm">What happens next (shown in the report)</span>
          <input
            className="input input-sm w-full"
            value={next}
            onChange={(event) => write({ next: event.target.value })}
            placeholder="On phones from Monday; then the computers"
          />
        </label>
        {!errorOf(step.error, "reason") && errors.length === 0 && <FormError error={step.error} />}
        <button className="btn btn-primary btn-sm mt-3" disabled={!choice || step.isPending}>
          Record the decision
        </button>
      </form>
    </Panel>
  );
}
