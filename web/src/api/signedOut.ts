/** Who was signed in at this page, and the requests that wait because the server knows nobody any more. */

let who = "";
let waiting: (() => void)[] = [];
const hearers = new Set<() => void>();
const change = () => hearers.forEach((hear) => hear());

export const signedOut = {
  subscribe: (hear: () => void): (() => void) => {
    hearers.add(hear);
    return () => hearers.delete(hear);
  },
  /** Whose session has ended while something was asked; "" where nothing waits. */
  get: () => (waiting.length > 0 ? who : ""),
};

/** Somebody is signed in, and what waits for that goes on. What one person asked for is not sent in another's name: for somebody
 * else the page is made from the start. */
export function recognise(username: string): void {
  if (who && username && username !== who) return window.location.reload();
  who = username;
  const ready = waiting;
  waiting = [];
  ready.forEach((go) => go());
  if (ready.length > 0) change();
}

/** Who was signed in at this page; "" where nobody was yet. */
export function recognised(): string {
  return who;
}

/** Until somebody is signed in again. */
export function signedInAgain(): Promise<void> {
  return new Promise((resolve) => {
    waiting.push(resolve);
    change();
  });
}
