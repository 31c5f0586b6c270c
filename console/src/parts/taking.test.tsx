import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, expect, test, vi } from "vitest";
import { Problem } from "../api/client";
import { ProblemAlert } from "./Answers";
import { taken } from "./taking";

afterEach(cleanup);

test.each([
  ["length", "/26", ["length", "26"]],
  ["name", "quay-7", ["name", "quay-7"]],
  ["field", "hosts: 180", ["hosts", "180"]],
  ["despite_use", "despite_use: true", ["despite_use", "yes"]],
  ["pool", "pool ticket-hall", null],
  ["range", "add a range first", null],
  [undefined, "10.40.64.0/26", null],
])("%s, %s", (field, suggestion, value) => {
  expect(taken(field, suggestion)).toEqual(value);
});

test("what would work is a button where the form has such a field, and words elsewhere", () => {
  const set = vi.fn();
  const problem = { type: "", status: 409, code: "name-taken", title: "Name taken", detail: "quay-1 is taken", field: "name", suggestions: ["quay-2", "give quay-1 back"] };
  const { rerender } = render(<ProblemAlert error={new Problem(problem as never)} onTake={(name, value) => (name === "name" ? () => set(value) : undefined)} />);
  fireEvent.click(screen.getByRole("button", { name: "quay-2" }));
  expect(set).toHaveBeenCalledWith("quay-2");
  expect(screen.getByText(/give quay-1 back/)).toBeTruthy();
  rerender(<ProblemAlert error={new Problem(problem as never)} />);
  expect(screen.queryByRole("button")).toBeNull();
  expect(screen.getByText(/quay-2/)).toBeTruthy();
});
