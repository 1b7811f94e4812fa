/** Sending again what did not come through: no answer, or one that says to try later. */

import { Problem } from "../api/client";

const LATER = [408, 425, 429, 502, 503, 504];
const FIRST = 1000; // milliseconds
const LONGEST = 30_000;

/** Whether it may come through when it is sent again. */
export function isPassing(error: unknown): boolean {
  if (error instanceof Problem) return LATER.includes(error.status);
  return error instanceof TypeError || (error instanceof DOMException && error.name === "TimeoutError");
}

/** What waits until it is tried again. */
const waiting = new Set<() => void>();
const hearers = new Set<() => void>();
const change = () => hearers.forEach((hear) => hear());

export const patience = {
  subscribe: (hear: () => void): (() => void) => {
    hearers.add(hear);
    return () => hearers.delete(hear);
  },
  /** How many wait. */
  get: () => waiting.size,
  tryNow: () => waiting.forEach((go) => go()),
};
window.addEventListener("online", patience.tryNow);

function pause(milliseconds: number): Promise<void> {
  return new Promise((resolve) => {
    const go = () => {
      clearTimeout(timer);
      waiting.delete(go);
      change();
      resolve();
    };
    const timer = setTimeout(go, milliseconds);
    waiting.add(go);
    change();
  });
}

/**
 * The answer, however often it must be asked for: after 1, 2, 4 … 30 seconds, at once when the network is back or somebody says so.
 * What is refused for good is thrown.
 */
export async function patiently<T>(send: () => Promise<T>): Promise<T> {
  for (let wait = FIRST; ; wait = Math.min(2 * wait, LONGEST)) {
    try {
      return await send();
    } catch (error) {
      if (!isPassing(error)) throw error;
    }
    await pause(wait);
  }
}
