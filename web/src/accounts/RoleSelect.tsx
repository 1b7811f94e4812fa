import { useId } from "react";
import type { Role } from "../api/accounts";

const ROLES: readonly (readonly [Role, string])[] = [
  ["stakeholder", "stakeholder: reads"],
  ["analyst", "analyst: does the work"],
  ["admin", "admin: also keeps accounts"],
];

export function RoleSelect({
  role,
  change,
  label,
  disabled = false,
}: {
  role: Role;
  change: (role: Role) => void;
  label: string;
  disabled?: boolean;
}) {
  const id = useId();
  return (
    <div>
      <label htmlFor={id} className="quiet mb-1 block text-sm">
        {label}
      </label>
      <select
        id={id}
        className="select select-sm w-full"
        value={role}
        disabled={disabled}
        onChange={(event) => change(event.target.value as Role)}
      >
        {ROLES.map(([value, words]) => (
          <option key={value} value={value}>
            {words}
          </option>
        ))}
      </select>
    </div>
  );
}
