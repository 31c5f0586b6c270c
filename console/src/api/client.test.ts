import { afterEach, expect, test, vi } from "vitest";
import { call, change, everyRow, newKey, Problem } from "./client";

function answer(body: string, status = 200, headers: Record<string, string> = {}) {
  const fetched = vi.fn(async (..._: unknown[]) => new Response(body, { status, headers }));
  vi.stubGlobal("fetch", fetched);
  return fetched;
}

/** The problem that a call ends in. */
async function problemOf(calling: Promise<unknown>): Promise<Problem> {
  const failure = await calling.catch((error: unknown) => error);
  expect(failure).toBeInstanceOf(Problem);
  return failure as Problem;
}

afterEach(() => vi.unstubAllGlobals());

test("a proxy's page is told as an answer that cannot be read, with the request's id", async () => {
  answer("<html>Bad gateway</html>", 502, { "X-Request-ID": "7f3a" });
  const failure = await problemOf(call("GET", "pools"));
  expect(failure.document).toMatchObject({ status: 502, code: "not-reachable", request: "7f3a" });
  expect(failure.message).toContain("answered 502");
});

test("a page that is no JSON is no answer either, although all is well by its status", async () => {
  answer("<html>Sign in to the guest network</html>");
  const failure = await problemOf(call("GET", "pools"));
  expect(failure.document).toMatchObject({ status: 200, code: "not-understood" });
});

test("a refusal keeps what the service said", async () => {
  answer(JSON.stringify({ status: 409, code: "exhausted", title: "No free space", detail: "no /20 is free", suggestions: ["/23"] }), 409);
  const failure = await problemOf(call("GET", "pools"));
  expect(failure.document).toMatchObject({ code: "exhausted", suggestions: ["/23"] });
});

test("no answer at all is told as that, but a call that was overtaken is not told", async () => {
  vi.stubGlobal("fetch", async () => Promise.reject(new TypeError("failed")));
  expect((await problemOf(call("GET", "pools"))).document.code).toBe("not-reachable");
  const overtaken = new AbortController();
  overtaken.abort();
  expect(await call("GET", "pools", { signal: overtaken.signal }).catch((error: unknown) => error)).toBeInstanceOf(TypeError);
});

test("a change is looked at without key or proposal, and done with both", async () => {
  const fetched = answer(JSON.stringify({ preview: true, result: {}, notes: [], changes: [], proposal: "sealed" }));
  await change("POST", "tiers", { name: "kiosk" }, { preview: true, why: "" });
  await change("POST", "tiers", { name: "kiosk" }, { preview: false, why: "for the quay", proposal: "sealed", key: "k1" }, 12);
  const [looked, done] = fetched.mock.calls.map(([url, init]) => ({ url: String(url), ...(init as RequestInit) }));
  expect(looked!.url).toContain("preview=true");
  expect(looked!.headers).not.toHaveProperty("Idempotency-Key");
  expect(JSON.parse(String(done!.body))).toEqual({ name: "kiosk", proposal: "sealed" });
  expect(done!.headers).toMatchObject({ "Idempotency-Key": "k1", "If-Match": '"12"' });
  expect(done!.url).toContain("why=for+the+quay");
  expect(newKey()).not.toBe(newKey());
});

test("every row of a list is fetched page after page", async () => {
  const pages = [
    { next: "http://elsewhere/api/v1/ranges?cursor=c2&limit=1000", previous: null, results: [1, 2] },
    { next: null, previous: null, results: [3] },
  ];
  const asked: string[] = [];
  vi.stubGlobal("fetch", async (url: URL) => {
    asked.push(String(url));
    return new Response(JSON.stringify(pages[asked.length - 1]));
  });
  expect(await everyRow<number>("ranges", { family: 4 })).toEqual([1, 2, 3]);
  expect(asked[1]).toContain("cursor=c2");
  expect(asked.every((url) => url.startsWith(window.location.origin))).toBe(true);
});

test.each([
  [undefined, 5],
  [Infinity, 8],
])("a page of the console shows so many rows at most (%s); a file has all", async (most, pages) => {
  let asked = 0;
  vi.stubGlobal("fetch", async () => {
    asked += 1;
    const next = asked < 8 ? `http://x/api/v1/subnets?cursor=c${asked}` : null;
    return new Response(JSON.stringify({ next, previous: null, results: Array.from({ length: 1000 }, (_, n) => n) }));
  });
  expect(await everyRow<number>("subnets", {}, undefined, most)).toHaveLength(pages * 1000);
});
