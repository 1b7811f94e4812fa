import { Panel } from "../../parts/basics";
import { NumberField, ChoiceField, TextField } from "../../parts/fields";
import { RadioCard } from "../../parts/RadioCard";
import { useEditing } from "../editing";
import { RegionPlanning, useRegions } from "./planning";

/** What is withheld, why, and from which return on it pays. */
export function RegionBrief() {
  return (
    <RegionPlanning>
      <Brief />
    </RegionPlanning>
  );
}

function Brief() {
  const { experiment, save: saveExperiment, errorFor: experimentError, mayEdit } = useEditing();
  const { plan, save, errorFor, open, mayPlan } = useRegions();
  const outcomes = plan.past?.outcomes ?? [];
  const graded = plan.lower !== null;
  const margin = plan.break_even ? 1 / plan.break_even : null;
  return (
    <>
      <Panel
        title="What is tested"
        note={
          graded
            ? "in some regions less is spent on it, in others more, in their partners all goes on as usual"
            : "in some regions nothing is spent on it, in their partners all goes on as usual"
        }
      >
        <div className="mb-2 grid grid-cols-2 gap-2 max-md:grid-cols-1">
          <RadioCard
            group="kind"
            name="Withheld"
            description="Nothing is spent in some regions: what does all of it bring?"
            chosen={!graded}
            disabled={!open}
            choose={() => save({ lower: null, higher: null, pairs: null, weeks: null })}
          />
          <RadioCard
            group="kind"
            name="Graded"
            description="Less and more at the same time, for what is too important to switch off. It takes several times the pairs."
            chosen={graded}
            disabled={!open}
            choose={() => save({ lower: 0.5, higher: 1.5, pairs: null, weeks: null })}
          />
        </div>
        {graded && (
          <>
            <NumberField
              label="Less: of what is usual"
              value={plan.lower}
              save={(lower) => lower !== null && save({ lower, pairs: null, weeks: null })}
              percent
              error={errorFor("lower")}
              locked={!open}
            />
            <NumberField
              label="More: of what is usual"
              value={plan.higher}
              save={(higher) => higher !== null && save({ higher, pairs: null, weeks: null })}
              percent
              error={errorFor("higher")}
              locked={!open}
            />
          </>
        )}
        <TextField
          label={graded ? "What is changed: a channel, a tactic" : "What is withheld: a channel, a tactic"}
          value={plan.tested}
          save={(tested) => save({ tested })}
          placeholder="Posters in towns"
          error={errorFor("tested")}
          locked={!mayPlan}
        />
        <TextField
          label="Why this is worth a test"
          value={experiment.because}
          save={(because) => saveExperiment({ because })}
          lines={2}
          error={experimentError("because")}
          locked={!mayEdit}
        />
        <TextField
          label="Area"
          value={experiment.area}
          save={(area) => saveExperiment({ area })}
          error={experimentError("area")}
          locked={!mayEdit}
        />
      </Panel>
      <Panel title="What decides" note="more of it is better">
        {outcomes.length > 0 ? (
          <ChoiceField
            label="Outcome"
            value={plan.outcome}
            options={outcomes.map((name) => ({ value: name, label: name.replaceAll("_", " ") }))}
            save={(outcome) =>
              save({
                outcome,
                pairs: null,
                weeks: null,
                less_is_better: plan.less_is_better.filter((one) => one !== outcome),
              })
            }
            error={errorFor("outcome")}
            locked={!open}
            note="Regions are paired by it; the other outcomes of the past data are kept."
          />
        ) : (
          <p className="quiet">The outcomes are the columns of the past data: bring them in on Sizing.</p>
        )}
        {(plan.past?.groups.length ?? 0) > 0 && <Groups />}
        <NumberField
          label="Return from which it pays"
          term="Break-even return"
          value={plan.break_even}
          save={(break_even) => save({ break_even })}
          unit={`a ${plan.currency}`}
          required={false}
          error={errorFor("break_even")}
          locked={!mayPlan}
          note={
            margin
              ? `It pays if a unit of spend brings ${plan.break_even} of ${plan.outcome.replaceAll("_", " ") || "the outcome"} or more, which is a margin of ${(margin * 100).toFixed(1)}%.`
              : "The outcome that a unit of spend must bring; with a margin of 40% it is 1 ÷ 0.4 = 2.5."
          }
        />
        <NumberField
          label="Margin from which it follows"
          value={margin === null ? null : Number(margin.toPrecision(4))}
          save={(share) => save({ break_even: share ? Number((1 / share).toPrecision(6)) : null })}
          percent
          required={false}
          locked={!mayPlan}
        />
        <NumberField
          label="Within how much of that it makes no difference worth while"
          value={plan.same_within || null}
          save={(share) => save({ same_within: share ?? 0 })}
          percent
          required={false}
          error={errorFor("same_within")}
          locked={!mayPlan}
        />
        {outcomes.length > 1 && <LessIsBetter />}
      </Panel>
      <Panel title="What makes it unsound">
        <NumberField
          label={graded ? "Of the change, gone another way, at most" : "Still spent where it is withheld, at most"}
          term="Leak"
          value={plan.leak_limit}
          save={(share) => share !== null && save({ leak_limit: share })}
          percent
          error={errorFor("leak_limit")}
          locked={!mayPlan}
          note={`${graded ? "Of the difference from the usual that is planned." : "Of what is usual there."} Less than that is allowed for in the return; more, and nothing may be read.`}
        />
      </Panel>
    </>
  );
}

/** The outcomes of which less is wanted; the one that decides is never among them. */
function LessIsBetter() {
  const { plan, save, errorFor, mayPlan } = useRegions();
  const others = (plan.past?.outcomes ?? []).filter((name) => name !== plan.outcome);
  const turn = (name: string, less: boolean) =>
    save({ less_is_better: less ? [...plan.less_is_better, name] : plan.less_is_better.filter((one) => one !== name) });
  return (
    <fieldset className="border-b border-base-300 py-1.5">
      <legend className="quiet mb-1 text-sm">Other outcomes of which less is better</legend>
      <div className="flex flex-wrap gap-x-5 gap-y-1">
        {others.map((name) => (
          <label key={name} className="flex items-center gap-2">
            <input
              type="checkbox"
              className="checkbox checkbox-sm"
              checked={plan.less_is_better.includes(name)}
              disabled={!mayPlan}
              onChange={(event) => turn(name, event.target.checked)}
            />
            {name.replaceAll("_", " ")}
          </label>
        ))}
      </div>
      {errorFor("less_is_better") && (
        <p role="alert" className="text-sm text-error">
          {errorFor("less_is_better")}
        </p>
      )}
    </fieldset>
  );
}

/** Which product groups count: all of them, or some. */
function Groups() {
  const { plan, save, errorFor, open } = useRegions();
  const all = plan.past?.groups ?? [];
  const counted = plan.groups.length > 0 ? plan.groups : all;
  const turn = (name: string) => {
    const next = all.filter((one) => (one === name ? !counted.includes(one) : counted.includes(one)));
    if (next.length > 0) save({ groups: next.length === all.length ? [] : next, pairs: null, weeks: null });
  };
  return (
    <fieldset className="border-b border-base-300 py-1.5">
      <legend className="quiet mb-1 text-sm">Product groups that count</legend>
      <div className="flex flex-wrap gap-x-5 gap-y-1">
        {all.map((name) => (
          <label key={name} className="flex items-center gap-2">
            <input
              type="checkbox"
              className="checkbox checkbox-sm"
              checked={counted.includes(name)}
              disabled={!open || (counted.length === 1 && counted.includes(name))}
              onChange={() => turn(name)}
            />
            {name}
          </label>
        ))}
      </div>
      {errorFor("groups") && (
        <p role="alert" className="text-sm text-error">
          {errorFor("groups")}
        </p>
      )}
    </fieldset>
  );
}
