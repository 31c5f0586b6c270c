import { cleanup, fireEvent, render, screen, within } from "@testing-library/react";
import { afterEach, expect, test } from "vitest";
import { Choice } from "./Choice";
import { PageTurner } from "./PageTurner";

afterEach(cleanup);

const at = (cursor: string) => `http://lentra.test/api/v1/idle?limit=2&cursor=${cursor}`;

function turned(page: { next: string | null; previous?: string | null }, cursor?: string) {
  const turns: string[] = [];
  render(<PageTurner page={page} cursor={cursor} onTurn={(next) => turns.push(next)} />);
  screen.queryAllByRole("button").forEach((button) => fireEvent.click(button));
  const shown = screen.queryAllByRole("button").map((button) => `${button.textContent}${(button as HTMLButtonElement).disabled ? " (off)" : ""}`);
  cleanup();
  return [shown, turns];
}

test("pages are turned where there are any, and back to the first where a list only leads forth", () => {
  expect(turned({ next: null, previous: null })).toEqual([[], []]);
  expect(turned({ next: at("b"), previous: null })).toEqual([["Previous page (off)", "Next page"], ["b"]]);
  expect(turned({ next: at("c"), previous: at("a") }, "b")).toEqual([["Previous page", "Next page"], ["a", "c"]]);
  expect(turned({ next: at("c") }, "b")).toEqual([["First page", "Next page"], ["", "c"]]);
  expect(turned({ next: null }, "c")).toEqual([["First page", "Next page (off)"], [""]]);
});

test("a choice tells what stands for nothing, and gives the value of the text that is picked", () => {
  const picked: string[] = [];
  render(<Choice label="Kind" value="" choices={[["", "any"], "pool", ["zone,tier", "zone and tier"]]} onChange={(value) => picked.push(value)} width={100} />);
  const field = screen.getByRole("combobox", { name: "Kind" });
  expect(field.textContent).toBe("any");
  fireEvent.mouseDown(field);
  const list = within(screen.getByRole("listbox"));
  expect(list.getAllByRole("option").map((option) => option.textContent)).toEqual(["any", "pool", "zone and tier"]);
  fireEvent.click(list.getByText("zone and tier"));
  expect(picked).toEqual(["zone,tier"]);
});
