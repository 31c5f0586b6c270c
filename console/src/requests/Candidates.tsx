import Radio from "@mui/material/Radio";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { ProblemAlert, Loading } from "../parts/Answers";
import { Mono } from "../parts/Mono";
import { RecordTable } from "../parts/RecordTable";
import { grouped, percent } from "../parts/text";
import { useCandidates, type Candidate, type Need } from "./queries";

/** Pools that may serve, with the reason for each place; none is chosen in advance. */
export function Candidates({
  need,
  only,
  chosen,
  onChoose,
}: {
  need: Need;
  only: string | null;
  chosen: Candidate | null;
  onChoose: (candidate: Candidate) => void;
}) {
  const found = useCandidates(need, true);
  if (found.error) return <ProblemAlert error={found.error} />;
  if (!found.data) return <Loading what="candidates" />;
  const all = found.data.candidates;
  const asked = all.filter((candidate) => String(candidate.pool.id) === only);
  const rows = (asked.length ? asked : all).map((candidate) => ({ ...candidate, id: `${candidate.pool.id} ${candidate.block}` }));
  return (
    <Stack sx={{ gap: 1 }}>
      {only && asked.length === 0 && <Typography color="warning.main">The pool that you came from does not serve this; these do.</Typography>}
      {rows.length === 0 ? (
        <Typography>No pool can serve this as it stands.</Typography>
      ) : (
        <RecordTable
          label="Candidates"
          rows={rows}
          isMarked={(row) => same(row, chosen)}
          columns={[
            {
              head: "",
              label: "Choice",
              cell: (row) => (
                <Radio
                  size="small"
                  checked={same(row, chosen)}
                  onChange={() => onChoose(row)}
                  name="pool"
                  slotProps={{ input: { "aria-label": need["each"] ? `Pool ${row.pool.name}, ${row.block}` : `Pool ${row.pool.name}` } }}
                />
              ),
            },
            { head: "Pool", cell: (row) => <span style={{ whiteSpace: "nowrap" }}>{`${row.realm.name} › ${row.pool.name}`}</span> },
            { head: "For", cell: (row) => row.zone?.name ?? row.region?.name ?? "anywhere" },
            { head: "Block", cell: (row) => <Mono>{row.block}</Mono> },
            { head: "Usable", right: true, cell: (row) => grouped(row.usable) },
            { head: "Rule sheet", cell: (row) => row.sheet.name },
            { head: "In use", right: true, cell: (row) => percent(row.used_percent) },
            { head: "Leaves", right: true, cell: (row) => `${grouped(row.leaves)} × /${row.length}` },
            { head: "Can grow to", cell: (row) => <Mono>{row.can_grow_to}</Mono> },
            { head: "Why there", cell: (row) => row.why },
          ]}
        />
      )}
      {found.data.passed_over.length > 0 && (
        <details>
          <summary>Pools passed over ({found.data.passed_over.length})</summary>
          <ul>
            {found.data.passed_over.map((reason) => (
              <li key={reason}>{reason}</li>
            ))}
          </ul>
        </details>
      )}
    </Stack>
  );
}

function same(one: Candidate, other: Candidate | null): boolean {
  return one.pool.id === other?.pool.id && one.block === other.block;
}
