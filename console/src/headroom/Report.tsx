// A printable report of a realm or a project.
import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import Card from "@mui/material/Card";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { CommandLine } from "../parts/CommandLine";
import { useFilters } from "../parts/useFilters";
import { Scope } from "./Scope";

export function Report() {
  const { filters } = useFilters();
  const kind = filters["project"] ? "project" : "realm";
  const name = filters[kind] ?? "";
  const both = Boolean(filters["project"] && filters["realm"]);
  return (
    <Card sx={{ p: 2 }}>
      <Stack sx={{ gap: 2, alignItems: "flex-start" }}>
        <Typography>A page to print or to save as PDF: summary, pictures, tables and forecasts, as of now.</Typography>
        <Stack direction="row" sx={{ gap: 1.5 }}>
          <Scope names={["realm", "project"]} />
        </Stack>
        {both && <Alert severity="info">A report is about a realm or about a project: the project is taken.</Alert>}
        <Button variant="contained" disabled={!name} href={`/api/v1/report?${kind}=${encodeURIComponent(name)}`} target="_blank" rel="noreferrer">
          Open the report
        </Button>
      </Stack>
      <CommandLine text={`lentra report --${kind} ${name || "NAME"} --file report.html`} />
    </Card>
  );
}
