import { act, cleanup, fireEvent, render, screen } from "@testing-library/react";
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

function Where() {
  const { pathname, search } = useLocation();
  return <output>{pathname + search}</output>;
}

function frame() {
  render(
    <MemoryRouter>
      <SearchField />
      <textarea aria-label="Notes" />
      <Where />
    </MemoryRouter>,
  );
  return screen.getByRole<HTMLInputElement>("textbox", { name: "Find anything" });
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
