import type { Condition, ConditionGroup } from "../../api/client";
import { useAudienceSize } from "../../api/running";
import { useSettled } from "../../lib/useSettled";

/** Whether every condition says what it needs, so that it can be counted. */
function isWhole(groups: ConditionGroup[]): boolean {
  return groups.every(({ conditions }) => conditions.length > 0 && conditions.every(saysAll));
}

function saysAll({ attribute, operator, values = [] }: Condition): boolean {
  if (!attribute.trim()) return false;
  return operator === "is_set" || (values.length > 0 && values.every((text) => text.trim()));
}

/** How many of last month's units the rules would have let in, while they are being written. */
export function AudienceSize({ groups }: { groups: ConditionGroup[] }) {
  const settled = useSettled(groups, 300);
  const whole = isWhole(groups);
  const size = useAudienceSize(isWhole(settled) ? settled : []);
  if (groups.length === 0) return null;
  const text = whole
    ? size.data?.sentence
    : "Complete the conditions to see how many of last month's units they let in.";
  return (
    <p
      className={`mt-2 text-sm ${size.data?.admitted?.estimate === 0 && whole ? "tone-caution" : "quiet"}`}
      role="status"
    >
      {text}
    </p>
  );
}
