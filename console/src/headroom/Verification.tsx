// Whether everything that must hold, holds: asked when somebody wants to know, since it looks at all there is.
import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import Card from "@mui/material/Card";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useMutation } from "@tanstack/react-query";
import { call, type Told } from "../api/client";
import { ProblemAlert } from "../parts/Answers";
import { CommandLine } from "../parts/CommandLine";
import { RecordTable } from "../parts/RecordTable";
import { grouped } from "../parts/text";
import { useMay } from "../session/queries";

type Verified = Told<"Verify">;

export function Verification() {
  const look = useMutation({ mutationFn: () => call<Verified>("GET", "verify") });
  const may = useMay("planner");
  if (!may) return <Alert severity="info">Planners verify the registry; the service does it by itself each day, and an alert tells what does not hold.</Alert>;
  return (
    <Stack sx={{ gap: 2 }}>
      <Typography>Every counter, extent, name, tag and tile is counted anew, and the ledger is played again. Nothing is changed by that.</Typography>
      <Button variant="contained" sx={{ alignSelf: "start" }} disabled={look.isPending} onClick={() => look.mutate()}>
        {look.isPending ? "Verifying…" : "Verify the registry"}
      </Button>
      <ProblemAlert error={look.error} />
      {look.data && (
        <>
          <Alert severity={look.data.clean ? "success" : "error"}>
            {look.data.clean ? "All that must hold, holds." : `${look.data.offences.length} things do not hold.`} Checked{" "}
            {Object.entries(look.data.checked)
              .map(([what, count]) => `${grouped(count)} ${what.replaceAll("_", " ")}`)
              .join(", ")}
            .
          </Alert>
          {!look.data.clean && (
            <Card>
              <RecordTable
                label="What does not hold"
                rows={look.data.offences.map((offence, n) => ({ ...offence, id: n }))}
                columns={["rule", "what", "where"].map((name) => ({ head: name, cell: (row: Record<string, unknown>) => String(row[name] ?? "") }))}
              />
            </Card>
          )}
        </>
      )}
      <CommandLine text="lentra verify" />
    </Stack>
  );
}
