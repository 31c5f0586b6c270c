// Single public addresses: who holds which, and what it is attached to.
import Button from "@mui/material/Button";
import Card from "@mui/material/Card";
import Link from "@mui/material/Link";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Link as RouterLink } from "react-router";
import { Listed } from "../parts/Answers";
import { Choice } from "../parts/Choice";
import { CommandLine } from "../parts/CommandLine";
import { Mono } from "../parts/Mono";
import { PageTurner } from "../parts/PageTurner";
import { RecordTable } from "../parts/RecordTable";
import { RefSelect } from "../parts/RefSelect";
import { shortTime } from "../parts/text";
import { useFilters } from "../parts/useFilters";
import { useTitle } from "../parts/useTitle";
import { useMay, useMe } from "../session/queries";
import { RecordForm } from "../setup/RecordForm";
import { Outward } from "./Outward";
import { DOINGS, commandOf, kindOf, type Doing } from "../subnets/doings";
import { act, usePublicUse, useSubnets, type Subnet } from "../subnets/queries";

/** How many each project holds of its quota. */
function Quotas({ project }: { project: string | undefined }) {
  const use = usePublicUse(project ? { project } : {});
  return (
    <Card>
      <Listed query={use} rows={(page) => page.results} empty="No project holds a public address or has a quota.">
        {(rows) => (
          <RecordTable
            label="Quotas"
            rows={rows.map((row) => ({ ...row, id: row.project.id }))}
            columns={[
              { head: "Project", cell: (row) => row.project.name },
              { head: "Holds", right: true, cell: (row) => row.held },
              { head: "Of its quota", right: true, cell: (row) => row.quota ?? "no limit" },
              { head: "May still ask for", right: true, cell: (row) => row.left ?? "any number" },
              { head: "Attached", right: true, cell: (row) => row.attached },
              { head: "Idle", right: true, cell: (row) => row.idle },
            ]}
          />
        )}
      </Listed>
    </Card>
  );
}

export function PublicPage() {
  useTitle("Public addresses");
  const { filters, set } = useFilters();
  const held = useSubnets({ limit: "100", public: "held", ...filters });
  const me = useMe().data!;
  const planner = useMay("planner");
  const [doing, setDoing] = useState<{ subnet: Subnet; doing: Doing } | null>(null);
  const mayChange = (subnet: Subnet) => planner || (me.role === "requester" && me.projects.some((project) => project.id === subnet.project.id));
  return (
    <Stack sx={{ gap: 2 }}>
      <Typography variant="h1">Public addresses</Typography>
      <Stack direction="row" sx={{ gap: 2 }}>
        <RefSelect kind="projects" label="Project" value={filters["project"] ?? ""} onChange={(value) => set("project", value)} none="any" />
        <Choice label="Which" value={filters["public"] ?? "held"} choices={[["held", "all that are held"], "attached", "idle"]} onChange={(value) => set("public", value)} width={160} />
      </Stack>
      <Quotas project={filters["project"]} />
      <Card>
        <Listed query={held} rows={(page) => page.results} empty="No public address is held.">
          {(rows) => (
            <RecordTable
              label="Public addresses"
              rows={rows}
              columns={[
                { head: "Address", cell: (row) => <Mono>{row.blocks.map((block) => block.first).join("  ")}</Mono> },
                { head: "Held as", cell: (row) => <Link component={RouterLink} to={`/subnets/${row.id}`}>{row.name}</Link> },
                { head: "Project", cell: (row) => row.project.name },
                { head: "Pool", cell: (row) => row.pool.name },
                { head: "Attached to", cell: (row) => row.attached_to || "nothing: idle" },
                { head: "How", cell: (row) => [row.attached_how, row.attached_for].filter(Boolean).join(": ") || "—" },
                { head: "Since", cell: (row) => shortTime(row.attached_at ?? row.created_at) },
                {
                  head: "",
                  label: "Actions",
                  right: true,
                  cell: (row) =>
                    mayChange(row) &&
                    DOINGS.filter((one) => (one.what === "attach" || one.what === "detach") && one.fits(row)).map((one) => {
                      const word = one.what === "attach" && row.attached_to ? "Move" : one.title;
                      return (
                        <Button key={one.what} size="small" aria-label={`${word} ${row.name}`} onClick={() => setDoing({ subnet: row, doing: one })}>
                          {word}
                        </Button>
                      );
                    }),
                },
              ]}
            />
          )}
        </Listed>
        <PageTurner page={held.data} address="subnets" query={{ public: "held", ...filters }} onTurn={(cursor) => set("cursor", cursor)} />
      </Card>
      <CommandLine text={`lentra public list${filters["project"] ? ` --project ${filters["project"]}` : ""}${filters["public"] === "idle" ? " --idle" : ""}`} />
      {doing && (
        <RecordForm
          kind={kindOf(doing.doing)}
          title={doing.doing.title}
          preset={doing.subnet.attached_to ? { move: "yes" } : {}}
          add={(values, how) => act(doing.subnet, doing.doing.what, values, how)}
          command={(values) => commandOf(doing.doing, doing.subnet, values)}
          chain={[doing.subnet.realm.name, doing.subnet.pool.name, doing.subnet.name, doing.subnet.blocks[0]!.first]}
          onClose={() => setDoing(null)}
        />
      )}
      <Outward />
    </Stack>
  );
}
