// What the columns of a table mean: guessed by their headings, or chosen here.
import Card from "@mui/material/Card";
import Typography from "@mui/material/Typography";
import { Choice } from "../parts/Choice";
import { RecordTable } from "../parts/RecordTable";
import type { Intake, Options } from "./queries";

export function IntakeColumns({ intake, disabled, onChange }: { intake: Intake; disabled: boolean; onChange: (options: Partial<Options>) => void }) {
  const choices = [["", "nothing"] as const, ...intake.fields.map((field) => [field.name, field.needed ? `${field.name} (needed)` : field.name] as const), ["label:", "a label"] as const];
  return (
    <Card>
      <Typography variant="h2" sx={{ p: 2, pb: 0 }}>
        Columns
      </Typography>
      <RecordTable
        label="Columns"
        rows={intake.columns.map((column, n) => ({ ...column, id: n }))}
        columns={[
          { head: "Heading", cell: (row) => row.heading },
          {
            head: "Means",
            cell: (row) =>
              disabled ? row.field || "nothing" : <Choice label={`Meaning of ${row.heading}`} value={intake.options.labels?.includes(row.heading) ? "label:" : row.field} choices={choices} onChange={(field) => onChange(meant(intake, row.heading, field))} width={190} />,
          },
          { head: "First values", cell: (row) => row.samples.join(" · ") },
        ]}
      />
    </Card>
  );
}

/** The options with another meaning of one column; all others as they are. */
export function meant(intake: Pick<Intake, "options" | "columns">, heading: string, field: string): Partial<Options> {
  const columns: Record<string, string> = {};
  for (const column of intake.columns) if (column.field && column.field !== "labels" && column.heading !== heading && column.field !== field) columns[column.field] = column.heading;
  const before = intake.columns.find((column) => column.heading === heading)?.field;
  if (before && before !== "labels" && before !== field) columns[before] = columns[before] ?? "";
  if (field && field !== "label:") columns[field] = heading;
  const labels = (intake.options.labels ?? []).filter((one) => one !== heading);
  return { ...intake.options, columns, labels: field === "label:" ? [...labels, heading] : labels };
}
