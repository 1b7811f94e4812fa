interface Props<Choice extends string> {
  options: readonly { value: Choice; label: string }[];
  /** What the rule says, "" while it has not spoken. */
  suggested: string;
  choice: string;
  choose: (choice: Choice) => void;
  reason: string;
  explain: (reason: string) => void;
  error: string | undefined;
}

/** What is chosen, and why, where it is not what the rule says. */
export function DecisionFields<Choice extends string>(props: Props<Choice>) {
  const { options, suggested, choice, choose, reason, explain, error } = props;
  return (
    <>
      <fieldset className="flex flex-wrap gap-x-6 gap-y-1">
        <legend className="sr-only">Decision</legend>
        {options.map((option) => (
          <label key={option.value} className="flex max-w-full items-center gap-2">
            <input
              type="radio"
              name="choice"
              className="radio radio-sm radio-primary"
              checked={choice === option.value}
              onChange={() => choose(option.value)}
            />
            <span className="min-w-0 wrap-anywhere">{option.label}</span>
            {option.value === suggested && <span className="quiet text-sm">as the rule says</span>}
          </label>
        ))}
      </fieldset>
      {choice !== "" && choice !== suggested && (
        <label className="mt-2 block">
          <span className="quiet block text-sm">Why does it differ from the rule?</span>
          <textarea
            className="textarea textarea-sm w-full"
            rows={2}
            value={reason}
            onChange={(event) => explain(event.target.value)}
          />
          {error && <span className="text-sm text-error">{error}</span>}
        </label>
      )}
    </>
  );
}

export function suggestedNote(suggested: string): string {
  return suggested ? "the rule’s choice is filled in" : "the rule has not spoken yet: any decision now needs a reason";
}
