import { useEffect, useRef, useState, type RefObject } from "react";

/** Width of an element, followed as it changes. */
export function useWidth(first: number): [RefObject<HTMLDivElement | null>, number] {
  const holder = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(first);
  useEffect(() => {
    const element = holder.current;
    if (!element) return;
    const observer = new ResizeObserver(([entry]) => entry && setWidth(entry.contentRect.width));
    observer.observe(element);
    return () => observer.disconnect();
  }, []);
  return [holder, width];
}
