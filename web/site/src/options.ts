export type Value = string | number | boolean | null;
export type Properties = Record<string, Value>;

export interface Options {
  /** The site's public key. */
  key: string;
  /** Where Neat Verdict is, such as `https://verdict.example.com`. */
  address: string;
  /** Milliseconds until pages show what they show without us. */
  timeout: number;
  /** Nothing is stored or sent before `consent(true)`. */
  askConsent: boolean;
  /** What is known of the visitor: device, language … */
  properties: Properties;
  /** The visitor's id, where the site has one of its own; then none is made or stored. */
  unit: string;
  /** Version of the page or configuration that all variants stand on. */
  version: string;
  /** Send a `page_view` for each address. */
  pageViews: boolean;
  /** Domain of the id's cookie, where several hosts share it. */
  domain: string;
}

const TIMEOUT = 300;

/** All options, those that are left out with what is usual. */
export function complete(given: Partial<Options>): Options {
  const timeout = Number(given.timeout ?? TIMEOUT);
  return {
    key: given.key ?? "",
    address: (given.address ?? "").replace(/\/+$/, ""),
    timeout: timeout > 0 && timeout <= 10_000 ? timeout : TIMEOUT,
    askConsent: given.askConsent ?? false,
    properties: given.properties ?? {},
    unit: given.unit ?? "",
    version: given.version ?? "",
    pageViews: given.pageViews ?? false,
    domain: given.domain ?? "",
  };
}

/** The options that stand at the script's own element, as `data-key`, `data-timeout` … */
export function optionsOf(element: HTMLScriptElement): Partial<Options> {
  const address = new URL(element.src);
  const {
    key = address.searchParams.get("key") ?? undefined,
    timeout,
    consent,
    properties,
    unit,
    version,
    pageViews,
    domain,
  } = element.dataset;
  let known: Properties = {};
  try {
    known = properties ? (JSON.parse(properties) as Properties) : {};
  } catch {
    // Written wrongly: as if nothing were known.
  }
  return {
    key,
    address: address.origin,
    timeout: timeout === undefined ? undefined : Number(timeout),
    askConsent: consent === "ask",
    properties: known,
    unit,
    version,
    pageViews: pageViews !== undefined && pageViews !== "false",
    domain,
  };
}
