import { Link } from "react-router";
import { usePreferences } from "../api/preferences";
import { Dialog } from "./Dialog";

const KEYS: [string, string][] = [
  ["Ctrl+K or /", "Find and open anything"],
  ["g then d", "Docket"],
  ["g then c", "Casebook"],
  ["g then m", "Metrics"],
  ["g then s", "Scratchpad"],
  ["g then n", "Notices"],
  ["g then w", "Glossary"],
  ["n", "New experiment"],
  ["↑ ↓ Enter", "Move along the docket, open"],
  ["1 – 6", "The sheets of an experiment"],
  ["[ ]", "The experiment before, after"],
  ["Ctrl+Z", "Undo the last edit"],
  ["?", "This list"],
];

export function KeyList({ close }: { close: () => void }) {
  const off = usePreferences()?.shortcuts === "off";
  return (
    <Dialog title="Keys" close={close}>
      <table className="table table-sm">
        <tbody>
          {KEYS.map(([key, what]) => (
            <tr key={key}>
              <td className="w-32">
                <kbd className="kbd kbd-sm">{key}</kbd>
              </td>
              <td>{what}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="quiet mt-2 text-sm">
        None works while you type. Single keys are {off ? "switched off" : "on"}:{" "}
        <Link className="link" to="/account#look" onClick={close}>
          {off ? "switch them on" : "switch them off"}
        </Link>
        .
      </p>
      <div className="mt-3 text-right">
        <button className="btn btn-sm" onClick={close}>
          Close
        </button>
      </div>
    </Dialog>
  );
}
