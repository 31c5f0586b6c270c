import Button from "@mui/material/Button";
import { useState } from "react";
import { change } from "../api/client";
import { ConfirmChange } from "../parts/ConfirmChange";
import { Mono } from "../parts/Mono";
import { RecordTable } from "../parts/RecordTable";
import { shortTime } from "../parts/text";
import { useMay, useMe } from "../session/queries";
import { cellText } from "../setup/cells";
import type { Entry } from "../subnets/queries";

/** Ledger entries: who changed what, when and why. A change can be taken back from here. */
export function EntryTable({ entries, withName = true, label = "Ledger entries" }: { entries: Entry[]; withName?: boolean; label?: string }) {
  const [back, setBack] = useState<Entry>();
  const me = useMe().data;
  const planner = useMay("planner");
  const mayTakeBack = (entry: Entry) => entry.actor_name !== "lentra" && entry.kind !== "sign-in" && (planner || entry.actor_name === me?.name);
  return (
    <>
      <RecordTable
        label={label}
        rows={entries.map((entry) => ({ ...entry, id: entry.number }))}
        columns={[
          { head: "Entry", cell: (entry) => <Mono>{entry.number}</Mono> },
          { head: "When", cell: (entry) => shortTime(entry.at) },
          { head: "Who", cell: (entry) => entry.actor_name },
          { head: "What", cell: (entry) => `${entry.verb}${withName ? ` ${entry.kind}` : ""}` },
          ...(withName ? [{ head: "Name", cell: (entry: Entry & { id: number }) => entry.name }] : []),
          { head: "Change", cell: (entry) => <ChangeText entry={entry} /> },
          { head: "Why", cell: (entry) => entry.why },
          {
            head: "",
            label: "Take back",
            cell: (entry) =>
              mayTakeBack(entry) && (
                <Button size="small" sx={{ whiteSpace: "nowrap" }} aria-label={`Take back ${entry.number}`} onClick={() => setBack(entry)}>
                  Take back
                </Button>
              ),
          },
        ]}
      />
      {back && <TakeBack entry={back} onClose={() => setBack(undefined)} />}
    </>
  );
}

function TakeBack({ entry, onClose }: { entry: Entry; onClose: () => void }) {
  return (
    <ConfirmChange
      title="Take the change back"
      chain={[`entry ${entry.number}`, entry.kind, entry.name]}
      command={`lentra undo ${entry.number}`}
      run={(how) => change<{ undone: Entry[] }>("POST", `ledger/${entry.number}/undo`, {}, how)}
      describe={({ undone }) => (
        <ul>
          {undone.map((one) => (
            <li key={one.number}>
              {one.number}: {one.verb} {one.kind} {one.name}, by {one.actor_name}
            </li>
          ))}
        </ul>
      )}
      onClose={onClose}
    />
  );
}

function ChangeText({ entry }: { entry: Entry }) {
  const { before, after } = entry;
  if (before && after)
    return Object.keys(after).map((field) => (
      <div key={field}>
        {field.replaceAll("_", " ")}: {cellText(before[field])} → {cellText(after[field])}
      </div>
    ));
  const facts = after ?? before ?? {};
  const ranges = facts["blocks"] ?? facts["ranges"] ?? facts["range"];
  return ranges ? <Mono>{cellText(ranges)}</Mono> : null;
}
