import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, fireEvent, render, screen, waitFor } from "@testing-library/react";
import { afterEach, expect, test, vi } from "vitest";
import { Bulk, type BulkAct } from "./Bulk";
import type { Subnet } from "./queries";

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const subnet = (id: number, name: string, labels = {}) => ({ id, version: id, name, labels, pool: { id: 9, name: "ticket-hall" } }) as unknown as Subnet;
const SUBNETS = [subnet(1, "gate-01", { floor: "2" }), subnet(2, "gate-02"), subnet(3, "gate-03")];

interface Sent {
  method: string;
  path: string;
  preview: boolean;
  body: Record<string, unknown>;
  version: string | undefined;
}

/** A service that refuses what is asked of the second subnet. */
function service(): Sent[] {
  const sent: Sent[] = [];
  vi.stubGlobal("fetch", async (url: URL, options: { method: string; body: string; headers: Record<string, string> }) => {
    const preview = url.searchParams.get("preview") === "true";
    sent.push({ method: options.method, path: url.pathname, preview, body: JSON.parse(options.body) as Record<string, unknown>, version: options.headers["If-Match"] });
    if (url.pathname.includes("/2")) return new Response(JSON.stringify({ status: 409, code: "in-use", title: "Still in use", detail: "gate-02 is in use by a camera" }), { status: 409 });
    return new Response(JSON.stringify({ preview, result: {}, notes: preview ? ["it cools for 7 days"] : [], changes: [], proposal: preview ? `shown ${url.pathname}` : null }));
  });
  return sent;
}

function open(act: BulkAct, onClose = () => undefined) {
  render(
    <QueryClientProvider client={new QueryClient()}>
      <Bulk act={act} subnets={SUBNETS} onClose={onClose} />
    </QueryClientProvider>,
  );
}

test("each is looked at, and what is possible is done by what was shown", async () => {
  const sent = service();
  open("release");
  expect(screen.queryByRole("button", { name: /Do it for/ })).toBeNull(); // nothing has been seen yet
  fireEvent.click(screen.getByRole("button", { name: "Look at each" }));
  await screen.findByText("gate-02 is in use by a camera");
  expect(sent.map((one) => [one.path, one.preview])).toEqual([1, 2, 3].map((id) => [`/api/v1/subnets/${id}/release`, true]));
  fireEvent.click(await screen.findByRole("button", { name: "Do it for 2" }));
  await screen.findByText(/2 of 3 are done/);
  expect(sent.slice(3).map((one) => [one.path, one.body["proposal"], one.version])).toEqual([1, 3].map((id) => [`/api/v1/subnets/${id}/release`, `shown /api/v1/subnets/${id}/release`, `"${id}"`]));
  expect(screen.queryByRole("button", { name: /Do it for/ })).toBeNull(); // and not twice
});

test("a label is added to those that each has", async () => {
  const sent = service();
  open("label");
  expect(screen.getByRole("button", { name: "Look at each" })).toHaveProperty("disabled", true);
  fireEvent.change(screen.getByLabelText(/Label/), { target: { value: "quay=7" } });
  expect(screen.getByText(/lentra edit 1 --label floor=2 --label quay=7/)).toBeTruthy();
  fireEvent.click(screen.getByRole("button", { name: "Look at each" }));
  await screen.findByRole("button", { name: "Do it for 2" });
  expect(sent.map((one) => one.body["labels"])).toEqual([{ floor: "2", quay: "7" }, { quay: "7" }, { quay: "7" }]);
  fireEvent.change(screen.getByLabelText(/Label/), { target: { value: "quay=8" } });
  await waitFor(() => expect(screen.queryByRole("button", { name: /Do it for/ })).toBeNull()); // another label is looked at again
});
