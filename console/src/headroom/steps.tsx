// The step that is proposed for something idle, as a button that takes it: previewed like any other change.
import Button from "@mui/material/Button";
import { useState } from "react";
import { Link as RouterLink } from "react-router";
import { change, type Answer, type How } from "../api/client";
import { commandLine } from "../parts/command";
import { ConfirmChange } from "../parts/ConfirmChange";
import { useMay } from "../session/queries";
import type { Idle } from "./queries";

interface Step {
  label: string;
  to?: string; // a page where it is taken
  run?: (how: How, insisted: boolean) => Promise<Answer<unknown>>;
  command?: string;
  insist?: string;
  role?: "planner";
}

const IN_USE = "Give it back although something is recorded in it";

/** What can be done about an idle thing. */
export function stepOf(row: Idle): Step | null {
  const subnet = (act: string, body: object) => (how: How, insisted: boolean) =>
    change<unknown>("POST", `subnets/${row.id}/${act}`, insisted ? { ...body, despite_use: true } : body, how);
  const give: Step = { label: "Give back", run: subnet("release", {}), command: commandLine(["release", row.id]), insist: IN_USE };
  const [, length] = /^shrink it to \/(\d+)$/.exec(row.step) ?? [];
  const [project, tier] = row.what.split(": ");
  switch (row.kind) {
    case "block without use":
    case "public address idle":
      return give;
    case "block far too wide":
      return { label: "Shrink", run: subnet("shrink", { length: Number(length) }), command: commandLine(["shrink", row.id], { length: Number(length) }) };
    case "hold about to end":
      return { label: "Hand out", run: subnet("confirm", {}), command: commandLine(["confirm", row.id]) };
    case "cooling":
      return { label: "Free at once", run: subnet("release", { at_once: true }), command: commandLine(["release", row.id], { at_once: true }), role: "planner" };
    case "reservation about to end":
      return { label: "Open", to: `/set-up/reservations/${row.id}` };
    case "pool empty now":
    case "pool never used":
      return { label: "Give back", run: (how) => change("DELETE", `pools/${row.id}`, {}, how), command: commandLine(["pool", "remove", row.id]), role: "planner" };
    case "planned need overdue":
      return { label: "Open", to: `/set-up/planned-needs/${row.id}` };
    case "project in one zone":
      return { label: "Ask", to: `/request?${new URLSearchParams({ project: row.what }).toString()}` };
    case "tier missing in a zone":
      return { label: "Ask", to: `/request?${new URLSearchParams({ project: project!, tier: tier!, zone: row.where.split(", ")[0]! }).toString()}` };
    default:
      return null;
  }
}

export function TakeStep({ row }: { row: Idle }) {
  const [open, setOpen] = useState(false);
  const [requester, planner] = [useMay("requester"), useMay("planner")];
  const step = stepOf(row);
  if (!step || !requester || (step.role === "planner" && !planner)) return null;
  if (step.to)
    return (
      <Button size="small" component={RouterLink} to={step.to} aria-label={`${step.label}: ${row.what}`}>
        {step.label}…
      </Button>
    );
  return (
    <>
      <Button size="small" onClick={() => setOpen(true)} aria-label={`${step.label}: ${row.what}`}>
        {step.label}…
      </Button>
      {open && <ConfirmChange title={step.label} chain={[row.where, row.what].filter(Boolean)} command={step.command!} run={step.run!} onClose={() => setOpen(false)} {...(step.insist ? { insist: step.insist } : {})} />}
    </>
  );
}
