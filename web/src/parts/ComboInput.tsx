import { Button, ComboBox, Input, Label, ListBox, ListBoxItem, Popover } from "react-aria-components";
import { TermMark } from "./Term";

interface Props {
  label: string;
  term?: string | undefined;
  hideLabel?: boolean;
  value: string;
  change: (value: string) => void;
  /** What there is to choose from; any other text may be typed. */
  options: readonly string[];
  placeholder?: string | undefined;
  /** Called on Enter and on leaving the field. */
  commit?: () => void;
  cancel?: () => void;
  locked?: boolean;
  invalid?: boolean;
  className?: string;
}

/** A text that is typed or chosen from a list, which narrows as one types. */
export function ComboInput({
  label,
  term,
  hideLabel = false,
  value,
  change,
  options,
  placeholder,
  commit,
  cancel,
  locked = false,
  invalid = false,
  className = "",
}: Props) {
  return (
    <ComboBox
      allowsCustomValue
      inputValue={value}
      onInputChange={change}
      isReadOnly={locked}
      isInvalid={invalid}
      onBlur={() => commit?.()}
      className={className}
    >
      <div className={hideLabel ? "sr-only" : "quiet mb-0.5 text-sm"}>
        <Label>{label}</Label>
        <TermMark name={term} />
      </div>
      <span className="join w-full">
        <Input
          className="input input-sm join-item w-full"
          placeholder={placeholder ?? ""}
          title={locked ? "Locked since the start" : undefined}
          onKeyDown={(event) => {
            if (event.key === "Enter") commit?.();
            // The first Escape closes the list, the next takes back what was typed.
            if (event.key === "Escape" && event.currentTarget.ariaExpanded !== "true") cancel?.();
          }}
        />
        {options.length > 0 && !locked && <Button className="btn btn-sm join-item px-2">▾</Button>}
      </span>
      <Popover className="sheet max-h-64 w-(--trigger-width) overflow-auto p-1" offset={2}>
        <ListBox items={options.map((name) => ({ id: name }))} className="outline-none">
          {({ id }) => (
            <ListBoxItem
              id={id}
              textValue={id}
              className="cursor-pointer rounded px-2 py-1 data-focused:bg-base-200 data-selected:font-semibold"
            >
              {id}
            </ListBoxItem>
          )}
        </ListBox>
      </Popover>
    </ComboBox>
  );
}
