import { fieldWords } from "../lib/fieldWords";
import createClient from "openapi-fetch";
import { recognised, signedInAgain } from "./signedOut";
import type { components, paths } from "./schema";

export type Schemas = components["schemas"];
export type Account = Schemas["Account"];
export type PageChange = NonNullable<Variant["page_changes"]>[number];
export type Docket = Schemas["Docket"];
export type DocketView = Schemas["DocketView"];
export type DocketRow = Schemas["DocketRow"];
export type Evidence = Schemas["EvidenceOut"];
export type Experiment = Schemas["ExperimentOut"];
export type ExperimentChanges = Schemas["ExperimentChanges"];
export type Interval = Schemas["IntervalOut"];
export type Plan = Schemas["PlanOut"];
export type Preview = Schemas["PreviewOut"];
/** In which column of a file each field stands. */
export type Columns = Record<string, number | null>;
/** What a person says of a file where it does not say it itself. */
export interface ChosenInFile {
  columns: Columns;
  mark: "" | "." | ",";
}
export const NOTHING_CHOSEN: ChosenInFile = { columns: {}, mark: "" };
export type PreviewStep = Schemas["PreviewStep"];
export type Reading = Schemas["ReadingOut"];
export type Comparison = Schemas["ComparisonOut"];
export type Report = Schemas["ReportOut"];
export type RegionReport = Schemas["RegionReportOut"];
export type FullHandover = Schemas["HandoverOut"];
export type Handover = Schemas["RolloutOut"];
export type RolloutIn = Schemas["RolloutIn"];
export type Casebook = Schemas["CasebookOut"];
export type LevelGroup = Schemas["LevelGroupOut"];
export type Looks = Schemas["LooksOut"];
export type Funnel = Schemas["FunnelOut"];
export type Rounds = Schemas["RoundsOut"];
export type Spend = Schemas["SpendOut"];
export type SecondCountSeen = Schemas["SecondCountFileOut"];
export type SecondCount = Schemas["SecondCountOut"];
export type Judged = Schemas["JudgedOut"];
export type Cohorts = Schemas["CohortsOut"];
export type SelectedRange = Schemas["SelectedRangeOut"];
export type OnPage = Schemas["OnPageOut"];
export type PageUse = Schemas["PageUseOut"];
export type DeviceUse = Schemas["DeviceUseOut"];
export type Outline = Schemas["OutlineOut"];
export type OutlineIn = Schemas["OutlineIn"];
export type ForEngineer = Schemas["EngineerOut"];
export type Snippet = Schemas["SnippetOut"];
export type ReportLink = Schemas["LinkOut"];
export type SpendFileSeen = Schemas["SpendFileOut"];
export type Session = Schemas["Session"];
export type Tone = Comparison["tone"];
export type Variant = Schemas["VariantIn"];
export type VariantOut = Schemas["VariantOut"];
export type Parameter = Schemas["ParameterIO"];
export type MetricUse = Schemas["MetricUseOut"];
export type MetricUseIn = Schemas["MetricUseIn"];
export type Metric = Schemas["MetricOut"];
export type Definition = Schemas["DefinitionIO"];
export type Measure = Schemas["MeasureIO"];
export type EventFilter = Schemas["EventFilterIO"];
export type Condition = Schemas["ConditionIO"];
export type MetricPreview = Schemas["MetricPreview"];
export type Forecasts = Schemas["ForecastsOut"];
export type Rehearsal = Schemas["RehearsalOut"];
export type AATest = Schemas["AATestOut"];
export type LatestAATest = Schemas["LatestAATest"];
export type World = Schemas["WorldOut"];
export type Past = Schemas["PastOut"];
export type Live = Schemas["LiveOut"];
export type Stratum = Schemas["StratumOut"];
export type Readiness = Schemas["ReadinessOut"];
export type Notices = Schemas["NoticesOut"];
export type ChangeNote = Schemas["NoteOut"];
export type Audience = Schemas["AudienceOut"];
export type ConditionGroup = Schemas["ConditionGroupIO"];
export type NeverCounted = Schemas["NeverCountedIO"];
export type Lake = Schemas["LakeOut"];
export type LakeRun = Schemas["LakeRunOut"];
export type Retention = Schemas["RetentionOut"];
export type MachineKey = Schemas["KeyOut"];
export type Check = Schemas["CheckOut"];
export type ExclusionGroup = Schemas["ExclusionOut"];
export type SegmentEvidence = Schemas["SegmentsOut"];
export type UnitsSeen = Schemas["UnitsOut"];
export type EventFileSeen = Schemas["EventFileOut"];
export type CountsIn = Schemas["CountsIn"];
export type SizeIn = Schemas["SizeIn"];
export type Policy = Schemas["AllocationIO"];
export type Allocation = Schemas["AllocationOut"];
export type Stretches = Schemas["StretchesOut"];
export type EpochShown = Schemas["EpochOut"];
export type Adaptive = Schemas["AdaptiveOut"];
export type Factorial = Schemas["FactorialOut"];
export type AllocationRehearsal = Schemas["AllocationRehearsalOut"];

/** A line of a file that is not accepted. */
export interface WrongLine {
  line: number;
  column: string;
  value: string;
  reason: string;
}

interface ProblemBody {
  code?: string;
  unmet?: string[];
  wrong?: WrongLine[];
  wrong_count?: number;
  title?: string;
  status?: number;
  errors?: { field: string; message: string }[];
  current_version?: number;
}

/** A problem document of the server: one sentence, and a message for each field that is not accepted. */
export class Problem extends Error {
  readonly status: number;
  /** Which kind of refusal it is; the same for all sentences of it. */
  readonly code: string;
  readonly fields: Record<string, string>;
  readonly stale: boolean;
  /** What is not ready for a start; it starts all the same with a reason. */
  readonly unmet: string[];
  /** Lines of a file that are wrong: how many, and the first of them. */
  readonly wrong: WrongLine[];
  readonly wrongCount: number;

  constructor(status: number, body: ProblemBody) {
    super(
      body.errors?.map((error) => fieldWords(error.message)).join("; ") ||
        body.title ||
        `The server answered ${status}`,
    );
    this.status = status;
    this.code = body.code ?? "";
    this.fields = Object.fromEntries((body.errors ?? []).map((error) => [error.field, error.message]));
    this.unmet = body.unmet ?? [];
    this.wrong = body.wrong ?? [];
    this.wrongCount = body.wrong_count ?? this.wrong.length;
    this.stale = body.current_version !== undefined;
  }
}

export function csrfToken(): string {
  return document.cookie.match(/(?:^|; )csrftoken=([^;]+)/)?.[1] ?? "";
}

async function problemOf(response: Response): Promise<Problem> {
  const body = (await response.json().catch(() => ({}))) as ProblemBody;
  return new Problem(response.status, body);
}

export const client = createClient<paths>({ baseUrl: window.location.origin });
/** Pages that ask for no account, on which an answer of 401 is said where it was asked for. */
const OPEN_PAGES = ["/sign-in", "/shared/", "/set-password/"];
/** Requests as they were before their bodies were read, to be sent once more. */
const spare = new WeakMap<Request, Request>();

client.use({
  onRequest({ request }) {
    if (request.method !== "GET") request.headers.set("X-CSRFToken", csrfToken());
    spare.set(request, request.clone());
  },
  async onResponse({ request, response }) {
    if (response.ok) return;
    const open = OPEN_PAGES.some((path) => window.location.pathname.startsWith(path));
    const signingIn = request.method === "POST" && new URL(request.url).pathname === "/api/v1/session";
    const again = spare.get(request);
    if (response.status === 401 && !open && !signingIn) {
      if (recognised() && again) return sentOnceSignedIn(again);
      window.location.assign(`/sign-in?next=${encodeURIComponent(window.location.pathname)}`);
    }
    throw await problemOf(response);
  },
});

/** The answer to a request for which nobody was signed in any more, once somebody is. */
async function sentOnceSignedIn(request: Request): Promise<Response> {
  for (;;) {
    await signedInAgain();
    const next = request.clone();
    if (next.method !== "GET") next.headers.set("X-CSRFToken", csrfToken());
    const response = await fetch(next);
    if (response.ok) return response;
    if (response.status !== 401) throw await problemOf(response);
  }
}

/** Take the data of an answer; failures have been thrown before. */
export async function take<T>(answer: Promise<{ data?: T }>): Promise<T> {
  const { data } = await answer;
  if (data === undefined) throw new Error("The server sent an empty answer");
  return data;
}

/** Preview a file; `onRows` hears how many rows have been read. */
export async function previewFile(
  key: string,
  file: File,
  chosen: ChosenInFile,
  metric: string,
  onRows: (rows: number) => void,
): Promise<Preview> {
  const response = await post(`/experiments/${key}/imports/preview`, importParts(file, chosen, metric));
  if (!response.ok || !response.body) throw await problemOf(response);
  const reader = response.body.pipeThrough(new TextDecoderStream()).getReader();
  let rest = "";
  for (;;) {
    const { value, done } = await reader.read();
    rest += value ?? "";
    const lines = rest.split("\n");
    rest = lines.pop() ?? "";
    for (const line of lines) {
      const step = JSON.parse(line) as PreviewStep;
      if (step.preview) return step.preview;
      onRows(step.rows ?? 0);
    }
    if (done) throw new Error("The answer ended before the preview was complete; try again");
  }
}

export function storeFile(
  key: string,
  file: File,
  chosen: ChosenInFile,
  metric: string,
  digest: string,
  leaveOutWrong: boolean,
): Promise<{ added: number; changed: number }> {
  const leave_out_wrong = String(leaveOutWrong);
  return sendForm(`/experiments/${key}/imports`, { ...importParts(file, chosen, metric), digest, leave_out_wrong });
}

function formOf(parts: Record<string, string | File>): FormData {
  const form = new FormData();
  for (const [name, part] of Object.entries(parts)) form.set(name, part);
  return form;
}

function post(address: string, parts: Record<string, string | File>): Promise<Response> {
  return fetch(`/api/v1${address}`, {
    method: "POST",
    headers: { "X-CSRFToken": csrfToken() },
    body: formOf(parts),
  });
}

/** Send a form with a file and read the answer. */
export async function sendForm<T>(address: string, parts: Record<string, string | File>): Promise<T> {
  const response = await post(address, parts);
  if (!response.ok) throw await problemOf(response);
  return (await response.json()) as T;
}

export function addPicture(key: string, variant: number, file: File): Promise<Experiment> {
  return sendForm(`/experiments/${key}/variants/${variant}/pictures`, { file });
}

export function readPastFile(file: File, kind: string): Promise<Past> {
  return sendForm(`/past-data?kind=${kind}`, { file });
}

function importParts(file: File, { columns, mark }: ChosenInFile, metric: string) {
  return { file, metric, columns: JSON.stringify(columns), decimal_mark: mark };
}

/** What a file of spend and impressions by day and variant comes to; with a digest it is stored. */
export function sendSpend(
  key: string,
  file: File,
  mark: "" | "." | ",",
  currency: string,
  digest?: string,
): Promise<SpendFileSeen> {
  const parts = { file, decimal_mark: mark, currency };
  if (digest === undefined) return sendForm(`/experiments/${key}/spend/preview`, parts);
  return sendForm(`/experiments/${key}/spend`, { ...parts, digest });
}

/** What another system's counts by day and variant come to; with a digest they are stored. */
export function sendSecondCount(
  key: string,
  file: File,
  source: string,
  mark: "" | "." | ",",
  digest?: string,
): Promise<SecondCountSeen> {
  const parts = { file, source, decimal_mark: mark };
  if (digest === undefined) return sendForm(`/experiments/${key}/second-counts/preview`, parts);
  return sendForm(`/experiments/${key}/second-counts`, { ...parts, digest });
}

/** What a file with a row a unit comes to; with a digest it is stored. */
export function sendUnits(
  key: string,
  file: File,
  mark: "" | "." | ",",
  digest?: string,
  leaveOutWrong = false,
): Promise<UnitsSeen> {
  const parts = { file, decimal_mark: mark };
  if (digest === undefined) return sendForm(`/experiments/${key}/unit-files/preview`, parts);
  return sendForm(`/experiments/${key}/unit-files`, { ...parts, digest, leave_out_wrong: String(leaveOutWrong) });
}

/** Take in a file with one event a line. */
export function sendEventFile(file: File): Promise<EventFileSeen> {
  return sendForm("/event-files", { file });
}
