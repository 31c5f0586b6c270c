import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { ProblemAlert } from "../parts/Answers";
import { CommandLine } from "../parts/CommandLine";
import { Facts } from "../parts/Facts";
import { Mono } from "../parts/Mono";
import { RecordTable } from "../parts/RecordTable";
import { RefSelect } from "../parts/RefSelect";
import { grouped } from "../parts/text";
import { Inputs, NumberInput, SheetSelect } from "./parts";
import { useWorkedOut, type Carries, type Split } from "./queries";

/** Equal parts of a block, and what the block carries. */
export function DivideForm() {
  const [draft, setDraft] = useState({ prefix: "", into: "", length: "", workloads: "", sheet: "", realm: "", name: "", zones: "" });
  const set = (values: Partial<typeof draft>) => setDraft({ ...draft, ...values });
  const given = draft.prefix.includes("/");
  const divided = given && (!!draft.into || !!draft.length);
  const how = draft.into ? { into: draft.into } : { length: draft.length };
  const zones = draft.zones.split(/[\s,]+/).filter(Boolean);
  const split = useWorkedOut<Split>("split", { prefix: draft.prefix, ...how, realm: draft.realm || undefined, name: draft.name || undefined, zone: zones, sheet: draft.sheet || undefined }, divided);
  const carries = useWorkedOut<Carries>("carries", { prefix: draft.prefix, sheet: draft.sheet || undefined, workloads: draft.workloads || undefined }, given);
  return (
    <Stack sx={{ gap: 2 }}>
      <Inputs>
        <TextField label="Block" value={draft.prefix} onChange={(event) => set({ prefix: event.target.value })} placeholder="10.40.64.0/20" />
        <NumberInput label="Into parts" value={draft.into} onChange={(into) => set({ into, length: "" })} />
        <NumberInput label="or of length" value={draft.length} onChange={(length) => set({ length, into: "" })} />
        <RefSelect kind="realms" label="What is free in" value={draft.realm} onChange={(realm) => set({ realm })} none="not asked" />
        <TextField label="Names of the parts" value={draft.name} onChange={(event) => set({ name: event.target.value })} placeholder="pier" sx={{ width: 190 }} />
        <TextField label="Zones in turn" value={draft.zones} onChange={(event) => set({ zones: event.target.value })} placeholder="nc-1, nc-2" sx={{ width: 160 }} />
        <SheetSelect value={draft.sheet} onChange={(sheet) => set({ sheet })} />
        <NumberInput label="Workloads a node" value={draft.workloads} onChange={(workloads) => set({ workloads })} width={160} />
      </Inputs>
      {divided && <ProblemAlert error={split.error} />}
      {divided && split.data && !split.error && (
        <>
          <Typography>
            {grouped(split.data.count)} × /{split.data.length}
            {split.data.free !== null && `, ${grouped(split.data.free)} of them free`}
            {split.data.spare > 0 && `, ${split.data.spare} spare (${grouped(split.data.spare_addresses)} addresses)`}
          </Typography>
          <RecordTable
            label="Parts"
            rows={split.data.parts.slice(0, 128).map((part) => ({ ...part, id: part.prefix }))}
            columns={[
              { head: "Part", cell: (part) => <Mono>{part.prefix}</Mono> },
              { head: "First usable", cell: (part) => (part.first_usable ? <Mono>{part.first_usable}</Mono> : "—") },
              { head: "Last usable", cell: (part) => (part.last_usable ? <Mono>{part.last_usable}</Mono> : "—") },
              { head: "Usable", right: true, cell: (part) => grouped(part.usable) },
              ...(draft.name ? [{ head: "Name", cell: (part: Split["parts"][number]) => part.name }] : []),
              ...(zones.length ? [{ head: "Zone", cell: (part: Split["parts"][number]) => part.zone }] : []),
              ...(draft.realm ? [{ head: "Taken by", cell: (part: Split["parts"][number]) => part.taken_by ?? "free" }] : []),
            ]}
          />
          {split.data.count > 128 && <Typography color="text.secondary">and {grouped(split.data.count - 128)} more</Typography>}
        </>
      )}
      {given && <ProblemAlert error={carries.error} />}
      {given && carries.data && !carries.error && (
        <>
          <Typography variant="h2">What it carries under {carries.data.sheet}</Typography>
          <Facts
            facts={[
              ["Hosts", carries.data.hosts && grouped(carries.data.hosts)],
              ["Subnets", Object.entries(carries.data.subnets).map(([length, count]) => `${grouped(count)} × ${length}`).join(", ")],
              ["Cluster nodes", carries.data.nodes === null ? "" : `${carries.data.nodes} with their workloads, ${carries.data.nodes_alone} without`],
            ]}
          />
        </>
      )}
      <CommandLine text={`lentra split ${draft.prefix || "10.40.64.0/20"} ${draft.length ? `--length ${draft.length}` : `--into ${draft.into || "6"}`}${draft.realm ? ` --realm ${draft.realm}` : ""}${draft.name ? ` --name ${draft.name}` : ""}${zones.length ? ` --zone ${zones.join(",")}` : ""}`} />
    </Stack>
  );
}
