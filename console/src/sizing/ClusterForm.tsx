import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { commandLine } from "../parts/command";
import { change } from "../api/client";
import { ProblemAlert } from "../parts/Answers";
import { Mono } from "../parts/Mono";
import { useMay } from "../session/queries";
import { RecordForm } from "../setup/RecordForm";
import type { Kind } from "../setup/kinds";
import { Inputs, NumberInput, SheetSelect, SizeShown } from "./parts";
import { useWorkedOutFrom, type Cluster } from "./queries";

const SET_UP: Kind = {
  word: "cluster set-up",
  noun: "cluster",
  collection: "clusters",
  role: "planner",
  columns: [],
  fields: [
    { name: "name", label: "Name", needed: true },
    { name: "pool", label: "Pool", kind: "ref", of: "pools", needed: true },
    { name: "project", label: "Project", kind: "ref", of: "projects", needed: true },
    { name: "tier", label: "Tier", kind: "ref", of: "tiers", needed: true },
    { name: "zone", label: "Zone", kind: "ref", of: "zones" },
    { name: "region", label: "Region", kind: "ref", of: "regions", help: "where no zone applies" },
    { name: "workload_range", label: "Workload range", help: "for workloads with a range of their own; found if left empty" },
    { name: "bridge_range", label: "Bridge range", help: "declared as kept out" },
    { name: "take_as", label: "Ranges are", kind: "choice", choices: ["reserve", "keep out"] },
  ],
};

/** Nodes and workloads to ranges; and all of it handed out, reserved or kept out in one go. */
export function ClusterForm() {
  const [draft, setDraft] = useState({ nodes: "", surge: "1", workloads: "", balancers: "0", service_range: "", name_service: "", sheet: "", most_nodes: "", zones: "", services: "" });
  const [ownRange, setOwnRange] = useState(false);
  const [making, setMaking] = useState(false);
  const mayPlan = useMay("planner");
  const set = (values: Partial<typeof draft>) => setDraft({ ...draft, ...values });
  const need = {
    nodes: Number(draft.nodes),
    surge: Number(draft.surge),
    workloads: draft.workloads === "" ? undefined : Number(draft.workloads),
    balancers: Number(draft.balancers),
    own_range: ownRange,
    ...(draft.most_nodes ? { most_nodes: Number(draft.most_nodes) } : {}),
    ...(draft.zones ? { zones: Number(draft.zones) } : {}),
    ...(draft.services ? { services: Number(draft.services) } : {}),
    ...(draft.service_range ? { service_range: draft.service_range } : {}),
    ...(draft.name_service ? { name_service: draft.name_service } : {}),
  };
  const given = need.nodes > 0;
  const size = useWorkedOutFrom<Cluster>("size/cluster", { ...need, ...(draft.sheet ? { sheet: draft.sheet } : {}) }, given);
  const found = size.error ? undefined : size.data;
  return (
    <Stack sx={{ gap: 2 }}>
      <Inputs>
        <NumberInput label="Nodes" value={draft.nodes} onChange={(nodes) => set({ nodes })} width={120} />
        <NumberInput label="Surge nodes" value={draft.surge} onChange={(surge) => set({ surge })} width={130} />
        <NumberInput label="Workloads a node" value={draft.workloads} onChange={(workloads) => set({ workloads })} width={160} />
        <NumberInput label="Balancers" value={draft.balancers} onChange={(balancers) => set({ balancers })} width={120} />
        <NumberInput label="May grow to nodes" value={draft.most_nodes} onChange={(most_nodes) => set({ most_nodes })} width={160} />
        <NumberInput label="Zones" value={draft.zones} onChange={(zones) => set({ zones })} width={110} />
        <NumberInput label="Services" value={draft.services} onChange={(services) => set({ services })} width={120} />
        <SheetSelect value={draft.sheet} onChange={(sheet) => set({ sheet })} />
        <TextField label="Service range" value={draft.service_range} onChange={(event) => set({ service_range: event.target.value })} placeholder="10.47.240.0/22" />
        <TextField label="Name service" value={draft.name_service} onChange={(event) => set({ name_service: event.target.value })} placeholder="offset 10" />
        <FormControlLabel control={<Checkbox checked={ownRange} onChange={(event) => setOwnRange(event.target.checked)} />} label="workloads have a range of their own" />
      </Inputs>
      {given && <ProblemAlert error={size.error} />}
      {given && found && (
        <>
          <SizeShown size={found.subnet} what="Node subnet: " />
          <Typography>
            {found.zones !== null && `One in each of ${found.zones} zones, for ${found.nodes_of_a_zone} nodes each, so that one may fail. `}
            These ranges carry {found.most_nodes} nodes{found.zones !== null && " in each zone"}.
            {found.service_length !== null && ` So many services need a /${found.service_length}.`}
            {found.workload_length !== null && ` Workload range /${found.workload_length}, a /${found.slice_length} for each node.`}
            {found.services && (
              <>
                {" "}
                Service range <Mono>{found.services.prefix}</Mono>: default service <Mono>{found.services.default_service}</Mono>, name service{" "}
                <Mono>{found.services.name_service}</Mono>.
              </>
            )}
          </Typography>
          {mayPlan && (
            <Button variant="contained" sx={{ alignSelf: "start" }} onClick={() => setMaking(true)}>
              Set it up
            </Button>
          )}
        </>
      )}
      {making && (
        <RecordForm
          kind={SET_UP}
          title="Set up the cluster"
          add={(values, how) => change("POST", "clusters", { ...need, ...values }, how)}
          command={(values) => commandOf(need, values)}
          onClose={() => setMaking(false)}
        />
      )}
    </Stack>
  );
}

/** The command that does the same; what is not filled in yet stands there in capitals. */
function commandOf({ nodes, own_range, ...need }: { nodes: number; own_range: boolean }, values: Record<string, unknown>): string {
  const needed = { name: "NAME", pool: "POOL", project: "PROJECT", tier: "TIER" };
  return commandLine(["cluster", "set-up", nodes], { ...need, own_range: own_range || undefined, ...needed, ...values });
}
