// The one place that talks to the service: calls, the CSRF token, refusals as exceptions.
import type { components } from "./schema";

type Schemas = components["schemas"];
/** A record as the service tells it: the OpenAPI document's schema with every field there. */
export type Told<Name extends keyof Schemas> = Required<Schemas[Name]>;
export type Conflict = { range?: string; owner?: string; state?: string; [key: string]: unknown };

export interface ProblemDocument {
  status: number;
  code: string;
  title: string;
  detail: string;
  field?: string;
  rule?: string;
  conflicts?: Conflict[];
  suggestions?: string[];
  /** The request's id in the service's log. */
  request?: string | undefined;
}

/** What the service refused, as its problem document (RFC 9457). */
export class Problem extends Error {
  constructor(readonly document: ProblemDocument) {
    super(document.detail);
  }
}

/** True where what a preview has shown is over. */
export function isStale(error: unknown): boolean {
  return error instanceof Problem && error.document.code === "stale-proposal";
}

export interface Answer<Result> {
  preview: boolean;
  result: Result;
  notes: string[];
  changes: { verb: string; kind: string; name: string; before: object | null; after: object | null }[];
  proposal: string | null;
  /** Why it waits for a planner; null where it is done. What waits has no result, but in a preview. */
  waits: Waits | null;
}

export type Waits = Told<"Waits">;

export interface Page<Row> {
  next: string | null;
  previous: string | null;
  results: Row[];
}

/** One call; its answer has the type that the OpenAPI document gives it. */
export async function call<Data>(
  method: "GET" | "POST" | "PATCH" | "DELETE",
  address: string,
  options: { query?: Record<string, unknown>; body?: unknown; key?: string; version?: number; signal?: AbortSignal | undefined } = {},
): Promise<Data> {
  const url = new URL(`/api/v1/${address}`, window.location.origin);
  for (const [name, value] of Object.entries(options.query ?? {}))
    for (const one of Array.isArray(value) ? value : [value]) if (one !== undefined && one !== null && one !== "") url.searchParams.append(name, String(one));
  const headers: Record<string, string> = { Accept: "application/json" };
  const token = document.cookie.match(/(?:^|; )lentra_csrf=([^;]*)/)?.[1];
  if (method !== "GET" && token) headers["X-CSRFToken"] = token;
  if (options.body !== undefined) headers["Content-Type"] = "application/json";
  if (options.key) headers["Idempotency-Key"] = options.key;
  if (options.version !== undefined) headers["If-Match"] = `"${options.version}"`;
  let response: Response;
  try {
    response = await fetch(url, { method, headers, body: options.body === undefined ? null : JSON.stringify(options.body), signal: options.signal ?? null });
  } catch (failure) {
    if (options.signal?.aborted) throw failure; // overtaken: nobody waits for it
    throw problemOf(undefined, 0);
  }
  const request = response.headers.get("X-Request-ID") ?? undefined;
  const text = await response.text().catch(() => "");
  let data: unknown;
  try {
    if (response.headers.get("Content-Type")?.startsWith("application/jsonl")) data = text.split("\n").filter(Boolean).map((line) => JSON.parse(line));
    else data = text ? JSON.parse(text) : undefined;
  } catch {
    throw problemOf(undefined, response.status, request); // a proxy's page, say
  }
  if (!response.ok) throw problemOf(data, response.status, request);
  return data as Data;
}

/** How a change is made: looked at first, then done by the proposal of what was shown, once however often it is sent. */
export interface How {
  preview: boolean;
  why: string;
  proposal?: string | null | undefined;
  key?: string | undefined;
  /** What a planner is told with it, should it wait. */
  said?: Record<string, string> | undefined;
}

/** A changing call. */
export function change<Result>(method: "POST" | "PATCH" | "DELETE", address: string, body: object, how: How, version?: number): Promise<Answer<Result>> {
  return call(method, address, {
    query: { preview: how.preview || undefined, why: how.why, ...(how.preview ? {} : how.said) },
    body: how.preview || !how.proposal ? body : { ...body, proposal: how.proposal },
    ...(method === "POST" && !how.preview ? { key: how.key ?? newKey() } : {}),
    ...(version === undefined ? {} : { version }),
  });
}

/** A key of an intention: whatever is sent with it is done once. Also where the page is served without TLS. */
export function newKey(): string {
  return Array.from(crypto.getRandomValues(new Uint8Array(16)), (byte) => byte.toString(16).padStart(2, "0")).join("");
}

const MOST_ROWS = 5000;

/** The rows of a list, page after page, as many as a page of the console can show. */
export async function everyRow<Row>(address: string, query: Record<string, unknown> = {}, signal?: AbortSignal, most = MOST_ROWS): Promise<Row[]> {
  const rows: Row[] = [];
  let cursor: string | null | undefined;
  do {
    const page: Page<Row> = await call<Page<Row>>("GET", address, { query: { limit: 1000, ...query, cursor }, signal });
    rows.push(...page.results);
    cursor = page.next && new URL(page.next).searchParams.get("cursor");
  } while (cursor && rows.length < most);
  return rows;
}

function problemOf(error: unknown, status: number, request?: string): Problem {
  if (error && typeof error === "object" && "detail" in error) return new Problem({ ...(error as ProblemDocument), request });
  const away = status === 0 || status >= 500;
  return new Problem({
    status,
    request,
    code: away ? "not-reachable" : "not-understood",
    title: away ? "No answer" : "An answer that cannot be read",
    detail: status
      ? `The service answered ${status} without saying why. Nothing is lost: try again in a moment.`
      : "The service does not answer. Nothing is lost: try again in a moment.",
  });
}
