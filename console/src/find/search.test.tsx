import { act, cleanup, fireEvent, render, screen } from "@testing-library/react";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { MemoryRouter, useLocation } from "react-router";
import { afterEach, expect, test, vi } from "vitest";
import { copyText } from "../parts/copy";
import { TextFilter } from "../parts/TextFilter";
import { SearchField } from "./SearchField";

afterEach(() => {
  cleanup();
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

const calls: string[] = [];

function Where() {
  const { pathname, search } = useLocation();
  return <output>{pathname + search}</output>;
}

function frame() {
  vi.stubGlobal("fetch", async (asked: URL) => {
    calls.push(new URL(asked).searchParams.get("text") ?? "");
    return new Response(JSON.stringify({ range: null, places: [], records: [{ kind: "pool", id: 7, name: "quay-cameras", realm: null, about: "cameras", why: "is called so" }] }), {
      headers: { "Content-Type": "application/json" },
    });
  });
  render(
    <QueryClientProvider client={new QueryClient()}>
      <MemoryRouter>
        <SearchField />
        <textarea aria-label="Notes" />
        <Where />
      </MemoryRouter>
    </QueryClientProvider>,
  );
  return screen.getByRole<HTMLInputElement>("combobox", { name: "Find anything" });
}

test("the key / goes to the search, but not out of a text that one writes", () => {
  const field = frame();
  fireEvent.keyDown(screen.getByLabelText("Notes"), { key: "/" });
  expect(document.activeElement).not.toBe(field);
  fireEvent.keyDown(document.body, { key: "/", ctrlKey: true });
  expect(document.activeElement).not.toBe(field);
  fireEvent.keyDown(document.body, { key: "/" });
  expect(document.activeElement).toBe(field);
});

test("answers come while one types, and lead to their page", async () => {
  calls.length = 0;
  const field = frame();
  field.focus();
  fireEvent.change(field, { target: { value: "q" } });
  fireEvent.change(field, { target: { value: "qu" } });
  const answer = await screen.findByRole("option", { name: /quay-cameras/ });
  expect(calls).toEqual(["qu"]);
  expect(answer.textContent).toContain("pool: cameras");
  fireEvent.keyDown(field, { key: "ArrowDown" });
  expect(answer.getAttribute("aria-selected")).toBe("true");
  fireEvent.submit(field.form!);
  expect(screen.getByRole("status").textContent).toBe("/pools/7");
});

test("what is sought is a page of its own, once", () => {
  const field = frame();
  fireEvent.change(field, { target: { value: "  quay=7 & more " } });
  fireEvent.submit(field.form!);
  expect(screen.getByRole("status").textContent).toBe("/find?text=quay%3D7%20%26%20more");
  fireEvent.change(field, { target: { value: "   " } });
  fireEvent.submit(field.form!);
  expect(screen.getByRole("status").textContent).toBe("/find?text=quay%3D7%20%26%20more");
});

test("a filter waits for a pause, and takes what comes from elsewhere", () => {
  vi.useFakeTimers();
  const told: string[] = [];
  const filter = (value: string) => <TextFilter label="Name contains" value={value} onChange={(text) => told.push(text)} />;
  const { rerender } = render(filter(""));
  const field = screen.getByLabelText<HTMLInputElement>("Name contains");
  for (const text of ["m", "ma", "mai", "main "]) fireEvent.change(field, { target: { value: text } });
  expect(told).toEqual([]);
  act(() => void vi.advanceTimersByTime(500));
  expect(told).toEqual(["main"]);
  fireEvent.change(field, { target: { value: "mainl" } });
  rerender(filter("main")); // what was set before has landed meanwhile
  expect(field.value).toBe("mainl");
  rerender(filter("north")); // from a link
  expect(field.value).toBe("north");
  act(() => void vi.advanceTimersByTime(500));
  expect(told).toEqual(["main"]);
});

test("a day is chosen in a field of its own", () => {
  render(<TextFilter label="Since" type="date" value="2026-11-02" onChange={() => undefined} />);
  expect(screen.getByLabelText<HTMLInputElement>("Since").type).toBe("date");
});

test("copying works with a clipboard, without one, and says when it does not", async () => {
  const written: string[] = [];
  vi.stubGlobal("navigator", { clipboard: { writeText: async (text: string) => void written.push(text) } });
  expect(await copyText("lentra undo 7")).toBe(true);
  expect(written).toEqual(["lentra undo 7"]);
  vi.stubGlobal("navigator", { clipboard: { writeText: () => Promise.reject(new Error("not allowed")) } });
  expect(await copyText("x")).toBe(false);
  vi.stubGlobal("navigator", {});
  const seen: (string | undefined)[] = [];
  document.execCommand = (command) => {
    seen.push(command, document.querySelector("textarea")?.value);
    return true;
  };
  expect(await copyText("10.40.64.0/20")).toBe(true);
  expect(seen).toEqual(["copy", "10.40.64.0/20"]);
  expect(document.querySelector("textarea")).toBeNull();
});
