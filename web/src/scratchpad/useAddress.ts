import { useState } from "react";
import { NavigationType, useNavigationType, useSearchParams } from "react-router";

/**
 * State that is kept in the address. What is typed is shown at once; the address follows, since the router may take its
 * time. A link or the Back button brings its own state along; our own writes replace and are recognised by that.
 */
export function useAddress<T>(
  read: (params: URLSearchParams) => T,
  write: (state: T) => URLSearchParams,
): [T, (next: T) => void] {
  const [params, setParams] = useSearchParams();
  const type = useNavigationType();
  const address = params.toString();
  const [seen, setSeen] = useState(address);
  const [state, setState] = useState(() => read(params));
  if (address !== seen) {
    setSeen(address);
    if (type !== NavigationType.Replace) setState(read(params));
  }
  const change = (next: T) => {
    setState(next);
    setParams(write(next), { replace: true });
  };
  return [state, change];
}
