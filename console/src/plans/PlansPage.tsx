import Button from "@mui/material/Button";
import Card from "@mui/material/Card";
import Link from "@mui/material/Link";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { Link as RouterLink } from "react-router";
import { Listed } from "../parts/Answers";
import { PageTurner } from "../parts/PageTurner";
import { RecordTable } from "../parts/RecordTable";
import { RefSelect } from "../parts/RefSelect";
import { StateChip } from "../parts/states";
import { shortTime } from "../parts/text";
import { useFilters } from "../parts/useFilters";
import { useTitle } from "../parts/useTitle";
import { useMay } from "../session/queries";
import { zoneName } from "./document";
import { usePlans } from "./queries";

/** All plans that were held or committed. */
export function PlansPage() {
  useTitle("Plans");
  const { filters, set } = useFilters();
  const plans = usePlans({ limit: "100", ...filters });
  const mayAsk = useMay("requester");
  return (
    <Stack sx={{ gap: 2 }}>
      <Stack direction="row" sx={{ gap: 2, alignItems: "center" }}>
        <Typography variant="h1" sx={{ flexGrow: 1 }}>
          Plans
        </Typography>
        <Button component={RouterLink} to="/renumberings">
          Renumbering
        </Button>
        {mayAsk && (
          <Button variant="contained" component={RouterLink} to="/plans/new">
            Make a plan
          </Button>
        )}
      </Stack>
      <Typography color="text.secondary">A whole layout over zones and tiers: previewed, held if you like, then handed out all or nothing.</Typography>
      <RefSelect kind="projects" label="Project" value={filters["project"] ?? ""} onChange={(value) => set("project", value)} none="any" />
      <Card>
        <Listed query={plans} rows={(page) => page.results} empty="No plans yet.">
          {(rows) => (
            <RecordTable
              label="Plans"
              rows={rows}
              columns={[
                { head: "Name", cell: (row) => <Link component={RouterLink} to={`/plans/${row.id}`}>{row.name}</Link> },
                { head: "Project", cell: (row) => row.project.name },
                { head: "Realm", cell: (row) => row.realm.name },
                { head: "State", cell: (row) => <StateChip state={row.state} /> },
                { head: "Zones", cell: (row) => row.document.zones.map(zoneName).join(", ") },
                { head: "Tiers", right: true, cell: (row) => row.document.tiers.length },
                { head: "Last changed", cell: (row) => shortTime(row.changed_at) },
                { head: "Held until", cell: (row) => (row.ends_at ? shortTime(row.ends_at) : "—") },
              ]}
            />
          )}
        </Listed>
        <PageTurner page={plans.data} address="plans" query={filters} onTurn={(cursor) => set("cursor", cursor)} />
      </Card>
    </Stack>
  );
}
