import { Mono } from "../parts/Mono";
import { RecordTable } from "../parts/RecordTable";
import { shortTime } from "../parts/text";
import { cellText } from "../setup/cells";
import type { Entry } from "../subnets/queries";

/** Ledger entries: who changed what, when and why. */
export function EntryTable({ entries, withName = true }: { entries: Entry[]; withName?: boolean }) {
  return (
    <RecordTable
      label="Ledger entries"
      rows={entries.map((entry) => ({ ...entry, id: entry.number }))}
      columns={[
        { head: "Entry", cell: (entry) => <Mono>{entry.number}</Mono> },
        { head: "When", cell: (entry) => shortTime(entry.at) },
        { head: "Who", cell: (entry) => entry.actor_name },
        { head: "What", cell: (entry) => `${entry.verb}${withName ? ` ${entry.kind}` : ""}` },
        ...(withName ? [{ head: "Name", cell: (entry: Entry & { id: number }) => entry.name }] : []),
        { head: "Change", cell: (entry) => <ChangeText entry={entry} /> },
        { head: "Why", cell: (entry) => entry.why },
      ]}
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
