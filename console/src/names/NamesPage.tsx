// DNS zones: which there are, and how it goes with each.
import Button from "@mui/material/Button";
import Card from "@mui/material/Card";
import Link from "@mui/material/Link";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { Link as RouterLink } from "react-router";
import { Scope } from "../headroom/Scope";
import { Listed } from "../parts/Answers";
import { Choice } from "../parts/Choice";
import { commandLine } from "../parts/command";
import { CommandLine } from "../parts/CommandLine";
import { Mono } from "../parts/Mono";
import { PageTurner } from "../parts/PageTurner";
import { RecordTable } from "../parts/RecordTable";
import { TextFilter } from "../parts/TextFilter";
import { grouped } from "../parts/text";
import { useFilters } from "../parts/useFilters";
import { useTitle } from "../parts/useTitle";
import { useMay } from "../session/queries";
import { Standing } from "./Standing";
import { useDnsZones } from "./queries";

const WHICH = [
  ["", "all"],
  ["false", "of names"],
  ["true", "of addresses"],
] as const;

export function NamesPage() {
  useTitle("Names");
  const { filters, set } = useFilters();
  const { reverse, cursor: _, ...rest } = filters;
  const listed: Record<string, string> = { limit: "100", ...filters };
  const zones = useDnsZones(listed);
  const planner = useMay("planner");
  return (
    <Stack sx={{ gap: 2 }}>
      <Stack direction="row" sx={{ gap: 1.5, alignItems: "center", flexWrap: "wrap" }}>
        <Typography variant="h1" sx={{ flexGrow: 1 }}>
          Names
        </Typography>
        {planner && (
          <Button component={RouterLink} to="/set-up/dns-zones">
            Set up DNS zones
          </Button>
        )}
      </Stack>
      <Typography color="text.secondary">What stands in DNS follows from the registry: each host, gateway and attached public address, both ways. Records by hand stand beside it.</Typography>
      <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap" }}>
        <TextFilter label="Part of the name" value={filters["text"] ?? ""} onChange={(value) => set("text", value)} />
        <Choice label="DNS zones" value={filters["reverse"] ?? ""} choices={WHICH} onChange={(value) => set("reverse", value)} width={150} />
        <Scope names={["realm", "project"]} />
      </Stack>
      <Card>
        <Listed query={zones} rows={(page) => page.results} empty="No DNS zone is set up: add one, and what is recorded stands in it soon after.">
          {(rows) => (
            <RecordTable
              label="DNS zones"
              rows={rows}
              columns={[
                { head: "Name", cell: (zone) => <Link component={RouterLink} to={`/names/${zone.id}`}>{zone.shown}</Link> },
                { head: "Realm", cell: (zone) => zone.realm.name },
                { head: "Project", cell: (zone) => zone.project?.name ?? "—" },
                { head: "Addresses", cell: (zone) => (zone.range ? <Mono>{zone.range}</Mono> : "—") },
                { head: "Records", right: true, cell: (zone) => (zone.delegated ? "—" : grouped(zone.counts.entries)) },
                { head: "How it goes", cell: (zone) => <Standing zone={zone} /> },
              ]}
            />
          )}
        </Listed>
        <PageTurner page={zones.data} address="dns-zones" query={listed} onTurn={(cursor) => set("cursor", cursor)} />
      </Card>
      <CommandLine text={commandLine(["dns", "zones"], { ...rest, ...(reverse === "false" ? { "no-reverse": true } : reverse ? { reverse: true } : {}) })} />
    </Stack>
  );
}
