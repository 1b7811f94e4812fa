import { useEffect, useRef } from "react";
import { useSearchParams } from "react-router";

/** What the address asks for, and how to change parts of it (an empty value takes one away): a change made before the one before it
 * has been drawn builds on that, where the router's own would undo it. */
export function useAddressParams(): [URLSearchParams, (changes: Record<string, string>) => void] {
  const [params, setParams] = useSearchParams();
  const latest = useRef(params);
  useEffect(() => {
    latest.current = params;
  }, [params]);
  const change = (changes: Record<string, string>) => {
    const next = new URLSearchParams(latest.current);
    for (const [name, value] of Object.entries(changes)) {
      if (value) next.set(name, value);
      else next.delete(name);
    }
    latest.current = next;
    setParams(next, { replace: true });
  };
  return [params, change];
}
