import { useEffect, useRef } from "react";
import { useLocation } from "react-router";
import { useChoose, usePreferences, type Preferences } from "../api/preferences";
import { FormError, Panel } from "../parts/basics";
import { ChoiceField } from "../parts/fields";

type ChoiceName = Exclude<keyof Preferences, "views">;
type Choices<Name extends ChoiceName> = {
  name: Name;
  label: string;
  note: string;
  options: { value: Preferences[Name]; label: string }[];
};

const CHOICES: { [Name in ChoiceName]: Choices<Name> }[ChoiceName][] = [
  {
    name: "theme",
    label: "Colours",
    note: "What is printed is always light.",
    options: [
      { value: "system", label: "as this device" },
      { value: "light", label: "light" },
      { value: "dark", label: "dark" },
    ],
  },
  {
    name: "density",
    label: "Spacing",
    note: "Of panels and of the lines of tables.",
    options: [
      { value: "comfortable", label: "comfortable" },
      { value: "compact", label: "compact" },
    ],
  },
  {
    name: "panels",
    label: "What stands below the answer",
    note: "Each panel is remembered as you left it.",
    options: [
      { value: "folded", label: "folded to a line each" },
      { value: "open", label: "open" },
    ],
  },
  {
    name: "shortcuts",
    label: "Single keys",
    note: "Such as n for a new experiment; those with Ctrl go on working.",
    options: [
      { value: "on", label: "do something" },
      { value: "off", label: "do nothing" },
    ],
  },
];

/** How one wants to see and use the application; each choice holds at once, at every device. */
export function Look() {
  const preferences = usePreferences();
  const choose = useChoose();
  const { hash } = useLocation();
  const holder = useRef<HTMLDivElement>(null);
  useEffect(() => {
    if (hash === "#look") holder.current?.scrollIntoView();
  }, [hash]);
  if (!preferences) return null;
  return (
    <div ref={holder} id="look">
      <Panel title="Look and keys" note="holds at once, wherever you sign in">
        <div className="grid grid-cols-2 gap-x-5 max-sm:grid-cols-1">
          {CHOICES.map(({ name, label, note, options }) => (
            <ChoiceField<string>
              key={name}
              label={label}
              note={note}
              value={preferences[name]}
              options={options}
              save={(value) => choose.mutate({ [name]: value })}
            />
          ))}
        </div>
        <FormError error={choose.error} />
      </Panel>
    </div>
  );
}
