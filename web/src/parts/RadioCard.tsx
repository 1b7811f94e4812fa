import type { ReactNode } from "react";

interface Props {
  group: string;
  name: string;
  description: ReactNode;
  chosen: boolean;
  choose: () => void;
  disabled?: boolean;
  /** At the right, such as how long it takes. */
  end?: ReactNode;
}

/** One of a few choices that need a sentence each. */
export function RadioCard({ group, name, description, chosen, choose, disabled = false, end }: Props) {
  return (
    <label
      className={`flex cursor-pointer items-start gap-3 rounded-md border px-3 py-1.5 ${chosen ? "border-primary bg-base-200" : "border-base-300"}`}
    >
      <input
        type="radio"
        name={group}
        className="radio radio-sm radio-primary mt-1"
        checked={chosen}
        disabled={disabled}
        onChange={choose}
      />
      <span className="grow">
        <span className="block font-semibold">{name}</span>
        <span className="quiet text-sm">{description}</span>
      </span>
      {end}
    </label>
  );
}
