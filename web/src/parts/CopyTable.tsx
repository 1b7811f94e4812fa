import { CopyText } from "./CopyText";

/** Puts a table on the clipboard, as tab-separated cells that a spreadsheet takes. */
export function CopyTable({ text }: { text: string | (() => string) }) {
  return <CopyText text={text} label="Copy table" />;
}
