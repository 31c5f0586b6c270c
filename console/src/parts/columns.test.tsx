import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { useState } from "react";
import { MemoryRouter } from "react-router";
import { afterEach, beforeEach, expect, test } from "vitest";
import { RecordTable, type Column } from "./RecordTable";
import { useColumns } from "./useColumns";

interface Boat {
  id: number;
  name: string;
  berth: string;
  flag: string;
}
const BOATS: Boat[] = [
  { id: 1, name: "Skua", berth: "7", flag: "NO" },
  { id: 2, name: "Tern", berth: "9", flag: "IS" },
];
const COLUMNS: Column<Boat>[] = [
  { head: "Name", cell: (boat) => boat.name },
  { head: "Berth", cell: (boat) => boat.berth },
  { head: "Flag", cell: (boat) => boat.flag },
];

function Boats() {
  const [columns, choose] = useColumns("boats", COLUMNS, ["Flag"]);
  const [picked, setPicked] = useState<Boat[]>([]);
  return (
    <MemoryRouter>
      {choose}
      <p>{picked.map((boat) => boat.name).join(" and ") || "none"}</p>
      <RecordTable label="Boats" rows={BOATS} columns={columns} picking={{ picked, onPick: setPicked, nameOf: (boat) => boat.name }} />
    </MemoryRouter>
  );
}

const heads = () => screen.getAllByRole("columnheader").map((head) => head.textContent).filter(Boolean);
const choose = async (name: string) => {
  fireEvent.click(screen.getByRole("button", { name: "Columns" }));
  fireEvent.click(await screen.findByRole("menuitemcheckbox", { name }));
};

beforeEach(() => localStorage.clear());
afterEach(cleanup);

test("rare columns are hidden until somebody chooses them, and the choice stays", async () => {
  render(<Boats />);
  expect(heads()).toEqual(["Name", "Berth"]);
  await choose("Flag");
  fireEvent.click(await screen.findByRole("menuitemcheckbox", { name: "Berth" }));
  expect(screen.queryByRole("menuitemcheckbox", { name: "Name" })).toBeNull(); // what a row is called stays
  cleanup();
  render(<Boats />);
  expect(heads()).toEqual(["Name", "Flag"]);
});

test("what is kept and makes no sense is forgotten", () => {
  localStorage.setItem("lentra.columns.boats", "{}");
  render(<Boats />);
  expect(heads()).toEqual(["Name", "Berth"]);
});

test("rows are picked one by one or all together", () => {
  render(<Boats />);
  const all = screen.getByRole<HTMLInputElement>("checkbox", { name: "Pick all on this page" });
  fireEvent.click(screen.getByRole("checkbox", { name: "Pick Tern" }));
  expect(screen.getByText("Tern", { selector: "p" })).toBeTruthy();
  expect([all.checked, all.indeterminate]).toEqual([false, true]);
  fireEvent.click(all);
  expect(screen.getByText("Skua and Tern")).toBeTruthy();
  expect([all.checked, all.indeterminate]).toEqual([true, false]);
  fireEvent.click(screen.getByRole("checkbox", { name: "Pick Skua" }));
  expect(screen.getByText("Tern", { selector: "p" })).toBeTruthy();
  fireEvent.click(all);
  fireEvent.click(all);
  expect(screen.getByText("none")).toBeTruthy();
});
