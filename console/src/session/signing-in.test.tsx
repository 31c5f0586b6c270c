import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { MemoryRouter } from "react-router";
import { afterEach, expect, test, vi } from "vitest";
import { SignInPage } from "./SignInPage";
import { TerminalPage } from "./TerminalPage";
import { addressBack } from "./terminal";

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

test("a terminal gets its answer on this machine, and nowhere else", () => {
  expect(addressBack("40123", "s&t", { code: "a=b" })).toBe("http://127.0.0.1:40123/?code=a%3Db&state=s%26t");
  for (const port of ["", "80", "0", "70000", "40123@elsewhere.example", "4012 3", "elsewhere.example"]) expect(addressBack(port, "s", { code: "c" })).toBeNull();
});

/** A page, with what the service answers to each call. */
function shown(page: React.ReactNode, at: string, answers: Record<string, unknown>) {
  const sent: [string, unknown][] = [];
  vi.stubGlobal("fetch", async (asked: URL | string, options: RequestInit) => {
    const path = new URL(String(asked), "http://127.0.0.1").pathname.replace("/api/v1/", "");
    if (options?.body) sent.push([path, JSON.parse(String(options.body))]);
    return new Response(JSON.stringify(answers[path] ?? {}), { headers: { "Content-Type": "application/json" } });
  });
  render(
    <QueryClientProvider client={new QueryClient()}>
      <MemoryRouter initialEntries={[at]}>{page}</MemoryRouter>
    </QueryClientProvider>,
  );
  return sent;
}

const SIGN_ON = { title: "Harbour ID", address: "/sign-on" };

test("single sign-on comes first, and brings back to the page that was wanted", async () => {
  shown(<SignInPage />, "/sign-in?next=%2Fpools%3Ffamily%3D6", { "session/ways": { password: "everybody", sign_on: SIGN_ON } });
  const link = await screen.findByRole("link", { name: "Sign in by Harbour ID" });
  expect(link.getAttribute("href")).toBe("/sign-on?next=%2Fpools%3Ffamily%3D6");
  expect(screen.getByLabelText(/Password/)).toBeTruthy();
});

test("where there is none, name and password are all there is", async () => {
  shown(<SignInPage />, "/sign-in", { "session/ways": { password: "everybody", sign_on: null } });
  expect(await screen.findByLabelText(/Password/)).toBeTruthy();
  expect(screen.queryByRole("link")).toBeNull();
});

test("where passwords are for admins, they are a step away; where they are for nobody, there are none", async () => {
  shown(<SignInPage />, "/sign-in", { "session/ways": { password: "admins", sign_on: SIGN_ON } });
  const more = await screen.findByRole("button", { name: "Sign in with a password (admins)" });
  expect(screen.queryByLabelText(/Password/)).toBeNull();
  fireEvent.click(more);
  expect(screen.getByLabelText(/Password/)).toBeTruthy();
  cleanup();
  shown(<SignInPage />, "/sign-in", { "session/ways": { password: "nobody", sign_on: SIGN_ON } });
  await screen.findByRole("link", { name: "Sign in by Harbour ID" });
  expect(screen.queryByRole("button")).toBeNull();
});

const ME = { id: 7, name: "petra", role: "planner", sign_on: "" };

test("a terminal that waits nowhere is given a code to be brought by hand", async () => {
  const sent = shown(<TerminalPage />, "/sign-in/terminal?name=cli-quay&challenge=abc", { session: ME, "session/terminal": { code: "the-code", good_until: "2026-11-27T09:00:00Z" } });
  expect(await screen.findByText("petra")).toBeTruthy();
  fireEvent.click(screen.getByRole("button", { name: "Let it in" }));
  expect(await screen.findByText("the-code")).toBeTruthy();
  expect(sent).toEqual([["session/terminal", { name: "cli-quay", challenge: "abc" }]]);
});

test("a terminal that is refused gets nothing", async () => {
  const sent = shown(<TerminalPage />, "/sign-in/terminal?name=cli-quay&challenge=abc", { session: ME });
  await screen.findByText("petra");
  fireEvent.click(screen.getByRole("button", { name: "No" }));
  expect(await screen.findByText("The terminal was not let in.")).toBeTruthy();
  expect(screen.queryByRole("button", { name: "Let it in" })).toBeNull();
  expect(sent).toEqual([]);
});
