// The registry as a file: written, or one of it previewed entry by entry and committed.
import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import Card from "@mui/material/Card";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { call, change, type How, type Told } from "../api/client";
import { ProblemAlert } from "../parts/Answers";
import { CommandLine } from "../parts/CommandLine";
import { ConfirmChange } from "../parts/ConfirmChange";
import { RecordTable } from "../parts/RecordTable";
import { RefSelect } from "../parts/RefSelect";
import { grouped, shellWord } from "../parts/text";

type Estate = Told<"ProposedEstate">;
type Chosen = { name: string; text: string; plans: Record<string, string> };

export function EstateCard() {
  const [realm, setRealm] = useState("");
  const [file, setFile] = useState<Chosen | null>(null);
  const [takeAway, setTakeAway] = useState(false);
  const [committing, setCommitting] = useState(false);
  const seen = useMutation({ mutationFn: (how: { chosen: Chosen; take: boolean }) => send(how.chosen, how.take, { preview: true, why: "" }) });
  const written = useMutation({
    mutationFn: async () => {
      const { text } = await call<Told<"Estate">>("GET", "estate", { query: { realm } });
      const link = document.createElement("a");
      link.href = URL.createObjectURL(new Blob([text], { type: "application/yaml" }));
      link.download = `${realm || "estate"}.yaml`;
      link.click();
      URL.revokeObjectURL(link.href);
    },
  });
  const choose = async (files: FileList | null) => {
    const read = await Promise.all(Array.from(files ?? [], async (one) => ({ name: one.name, text: await one.text() })));
    const estate = read.find((one) => /^[\s{"]*format["\s:]*lentra-estate/m.test(one.text)) ?? read[0];
    if (!estate) return;
    const plans = Object.fromEntries(read.filter((one) => one !== estate).map((one) => [one.name, one.text]));
    const chosen = { ...estate, plans };
    setFile(chosen);
    seen.mutate({ chosen, take: takeAway });
  };
  const found = seen.data?.result;
  const name = file ? shellWord(file.name) : "FILE";
  return (
    <Card component="section" aria-label="The registry as a file" sx={{ p: 2, display: "flex", flexDirection: "column", gap: 1.5 }}>
      <Typography variant="h2">The registry as a file</Typography>
      <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap", alignItems: "center" }}>
        <RefSelect kind="realms" label="Of realm" value={realm} onChange={setRealm} none="all" />
        <Button variant="outlined" onClick={() => written.mutate()} disabled={written.isPending}>
          Write it
        </Button>
        <Button component="label" role={undefined} tabIndex={-1} variant="outlined">
          {file ? [file.name, ...Object.keys(file.plans)].join(", ") : "Choose an estate file, and the plans that it names"}
          <input type="file" multiple aria-label="Estate file" accept=".yaml,.yml,.json" onChange={(event) => void choose(event.target.files)} style={{ position: "absolute", width: 1, height: 1, opacity: 0 }} />
        </Button>
        <FormControlLabel
          control={
            <Checkbox
              checked={takeAway}
              onChange={(event) => {
                setTakeAway(event.target.checked);
                if (file) seen.mutate({ chosen: file, take: event.target.checked });
              }}
            />
          }
          label="Take away what is not in the file"
        />
      </Stack>
      <ProblemAlert error={seen.error ?? written.error} />
      {found && <Shown found={found} />}
      {found?.possible && found.changes && (
        <Button variant="contained" sx={{ alignSelf: "flex-start" }} onClick={() => setCommitting(true)}>
          Commit the file
        </Button>
      )}
      <CommandLine text={file ? `lentra estate preview ${name}${takeAway ? " --take-away" : ""}` : `lentra estate write${realm ? ` --realm ${shellWord(realm)}` : ""}`} />
      {committing && file && (
        <ConfirmChange
          title="Commit the file"
          chain={["estate", file.name]}
          command={`lentra estate commit ${name}${takeAway ? " --take-away" : ""}`}
          run={(how) => send(file, takeAway, how)}
          describe={(result) => <Typography>{counted(result)}</Typography>}
          onClose={() => setCommitting(false)}
          onDone={() => seen.mutate({ chosen: file, take: takeAway })}
        />
      )}
    </Card>
  );
}

function send({ text, plans }: Chosen, take: boolean, how: How) {
  return change<Estate>("POST", "estate", { text, take_away: take, ...(Object.keys(plans).length ? { files: plans } : {}) }, how);
}

/** How many entries become what, in words. */
function counted(found: Estate): string {
  const sums: Record<string, number> = {};
  for (const counts of Object.values(found.counts)) for (const [what, count] of Object.entries(counts)) sums[what] = (sums[what] ?? 0) + count;
  return Object.entries(sums)
    .map(([what, count]) => `${grouped(count)} ${what}`)
    .join(", ");
}

function Shown({ found }: { found: Estate }) {
  const holds = found.possible && !found.changes;
  if (!found.entries.length) return <Alert severity="success">The registry is as the file says.</Alert>;
  return (
    <>
      {holds && <Alert severity="success">The registry is as the file says.</Alert>}
      <Typography>{counted(found)}</Typography>
      <RecordTable
        label="Entries"
        rows={found.entries.map((entry, n) => ({ ...entry, id: n }))}
        columns={[
          { head: "Where", cell: (row) => row.where },
          { head: "What", cell: (row) => row.what },
          { head: "Facts", cell: (row) => row.message || Object.entries(row.differs).map(([fact, [was, now]]) => `${fact}: ${was || "none"} → ${now || "none"}`).join(", ") },
          { head: "Would work", cell: (row) => row.suggestions.join(", ") },
        ]}
      />
    </>
  );
}
