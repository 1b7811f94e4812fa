import { useRef, useState } from "react";
import { NOTHING_CHOSEN, previewFile, storeFile, type ChosenInFile, type Preview } from "../../api/client";
import { useStale } from "../../api/keys";

/** A file of counts on its way in: read for a preview, then stored as it was previewed. */
export function useCountsFile(experiment: string, metric: string, onStored: () => void) {
  const stale = useStale();
  const [file, setFile] = useState<File | null>(null);
  const [chosen, setChosen] = useState<ChosenInFile>(NOTHING_CHOSEN);
  const [preview, setPreview] = useState<Preview | null>(null);
  const [rows, setRows] = useState<number | null>(null);
  const [error, setError] = useState<Error | null>(null);
  const [announced, setAnnounced] = useState("");
  const [storing, setStoring] = useState(false);
  const asked = useRef(0);

  const read = async (picked: File, wanted: ChosenInFile) => {
    const turn = ++asked.current;
    // A column, a mark or a metric chosen meanwhile has asked for a newer preview.
    const latest = () => turn === asked.current;
    setError(null);
    setAnnounced("");
    setRows(0);
    setFile(picked);
    setChosen(wanted);
    try {
      const seen = await previewFile(experiment, picked, wanted, metric, (read) => latest() && setRows(read));
      if (latest()) setPreview(seen);
    } catch (problem) {
      if (!latest()) return;
      setPreview(null);
      setError(problem as Error);
    } finally {
      if (latest()) setRows(null);
    }
  };

  const store = async (leaveOutWrong: boolean) => {
    if (!file || !preview) return;
    setStoring(true);
    try {
      const done = await storeFile(experiment, file, chosen, metric, preview.digest, leaveOutWrong);
      setAnnounced(
        done.added + done.changed === 0
          ? "All of it was stored before; nothing has changed."
          : `Stored: ${done.added} day counts added, ${done.changed} changed.`,
      );
      setPreview(null);
      stale("data", experiment);
      onStored();
    } catch (problem) {
      setError(problem as Error);
    } finally {
      setStoring(false);
    }
  };

  /** Forget the file; a preview that is still being read does not come up any more. */
  const discard = () => {
    asked.current++;
    setRows(null);
    setPreview(null);
  };

  return { file, chosen, preview, rows, error, announced, storing, read, store, discard };
}
