/** The cookies, read once a page: reading them waits for another process of the browser. */
export function readCookies(): Map<string, string> {
  try {
    const pairs = document.cookie.split("; ").map((one) => one.split("=") as [string, string?]);
    return new Map(pairs.map(([name, value]) => [name, value ?? ""]));
  } catch {
    return new Map(); // a frame that may have none
  }
}

/** Keep one for so many seconds; 0 forgets it. */
export function writeCookie(name: string, value: string, seconds: number, domain: string): void {
  const where = domain ? `; Domain=${domain}` : "";
  const secure = location.protocol === "https:" ? "; Secure" : "";
  try {
    document.cookie = `${name}=${value}; Max-Age=${seconds}; Path=/; SameSite=Lax${where}${secure}`;
  } catch {
    // Then it is this page’s alone.
  }
}
