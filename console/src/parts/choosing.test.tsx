import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { useState } from "react";
import { afterEach, expect, test, vi } from "vitest";
import { placeOf } from "../find/places";
import { Fault } from "../app/Fault";
import { RefSelect, choices } from "./RefSelect";

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const LINKS = [
  { id: 1, version: 1, name: "links", realm: { id: 7, name: "fleet" } },
  { id: 2, version: 2, name: "links", realm: { id: 8, name: "depot" } },
  { id: 3, version: 3, name: "mainland", realm: { id: 7, name: "fleet" } },
];

test("a name that two realms have is told and meant with its realm", () => {
  expect(choices(LINKS)).toEqual([
    { value: "fleet:links", label: "links (fleet)" },
    { value: "depot:links", label: "links (depot)" },
    { value: "mainland", label: "mainland" },
  ]);
});

test("the service is asked for what is typed, and what is chosen is told", async () => {
  const asked: string[] = [];
  vi.stubGlobal("fetch", async (url: URL) => {
    asked.push(String(url));
    return new Response(JSON.stringify({ next: null, previous: null, results: LINKS }));
  });
  function Form() {
    const [pool, setPool] = useState("");
    return (
      <>
        <RefSelect kind="pools" label="Pool" value={pool} onChange={setPool} />
        <output>{pool}</output>
      </>
    );
  }
  render(
    <QueryClientProvider client={new QueryClient()}>
      <Form />
    </QueryClientProvider>,
  );
  const field = screen.getByRole("combobox", { name: "Pool" });
  fireEvent.change(field, { target: { value: "lin" } });
  fireEvent.click(await screen.findByRole("option", { name: "links (depot)" }));
  expect(screen.getByRole("status").textContent).toBe("depot:links");
  expect((field as HTMLInputElement).value).toBe("links (depot)");
  expect(asked.some((url) => url.includes("text=lin"))).toBe(true);
});

test("a part that fails says so, and can be tried again", () => {
  vi.spyOn(console, "error").mockImplementation(() => {});
  let broken = true;
  const Part = () => {
    if (broken) throw new Error("nothing to count");
    return <p>all there</p>;
  };
  render(
    <Fault>
      <Part />
    </Fault>,
  );
  expect(screen.getByRole("alert").textContent).toContain("nothing to count");
  broken = false;
  fireEvent.click(screen.getByRole("button", { name: "Try again" }));
  expect(screen.getByText("all there")).toBeTruthy();
});

test.each([
  ["pool", "/pools/5"],
  ["address record", "/subnets/5"],
  ["zone", "/set-up/zones/5"],
  ["token", null],
])("a %s has its place", (kind, place) => {
  expect(placeOf(kind, 5)).toBe(place);
});
