import { vocabulary } from "../api/vocabulary";
import type { Question } from "./address";

interface Props {
  value: Question;
  change: (question: Question) => void;
}

/** What is asked of the counts, or of the plan. */
export function QuestionChoice({ value, change }: Props) {
  return (
    <label className="min-w-0">
      <span className="quiet block text-sm">Question</span>
      <select
        aria-label="Question"
        className="select select-sm w-48"
        value={value}
        onChange={(event) => change(event.target.value as Question)}
      >
        {vocabulary.questions.map(({ name, title }) => (
          <option key={name} value={name}>
            {title}
          </option>
        ))}
      </select>
    </label>
  );
}
