import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import Stack from "@mui/material/Stack";
import Alert from "@mui/material/Alert";
import { useState } from "react";
import { ProblemAlert } from "../parts/Answers";
import { Choice } from "../parts/Choice";
import { CommandLine } from "../parts/CommandLine";
import { grouped } from "../parts/text";
import { Inputs, NumberInput, SheetSelect, SizeShown } from "./parts";
import { useWorkedOut, type Size } from "./queries";

interface RangeSize {
  length: number;
  unit: number;
  holds: string;
  spare: string;
  sheet: string;
  why_not_smaller: string;
}

/** By hosts with growth, spread over zones; or a range by the number of subnets in it. */
export function HostsForm() {
  const [draft, setDraft] = useState({ of: "hosts", amount: "", growth: "", zones: "", balancers: "", gateway: false, family: "4", sheet: "" });
  const set = (values: Partial<typeof draft>) => setDraft({ ...draft, ...values });
  const common = { growth: draft.growth || undefined, sheet: draft.sheet || undefined, family: draft.family };
  const hosts = { hosts: draft.amount, zones: draft.zones || undefined, balancers: draft.balancers || undefined, gateway: draft.gateway || undefined, ...common };
  const given = Number(draft.amount) > 0;
  const size = useWorkedOut<Size>("size", hosts, given && draft.of === "hosts");
  const range = useWorkedOut<RangeSize>("size/range", { subnets: draft.amount, ...common }, given && draft.of === "subnets");
  const shown = draft.of === "hosts" ? size : range;
  return (
    <Stack sx={{ gap: 2 }}>
      <Inputs>
        <Choice label="Size for" value={draft.of} choices={[["hosts", "hosts in a subnet"], ["subnets", "subnets in a range"]]} onChange={(value) => set({ of: value, family: value === "subnets" ? "6" : "4" })} width={170} />
        <NumberInput label={draft.of === "hosts" ? "Hosts" : "Subnets"} value={draft.amount} onChange={(amount) => set({ amount })} />
        <NumberInput label="Growth in percent" value={draft.growth} onChange={(growth) => set({ growth })} width={160} />
        <SheetSelect value={draft.sheet} onChange={(sheet) => set({ sheet })} />
        <Choice label="Family" value={draft.family} choices={[["4", "IPv4"], ["6", "IPv6"]]} onChange={(value) => set({ family: value })} width={110} />
        {draft.of === "hosts" && (
          <>
            <NumberInput label="Spread over zones" value={draft.zones} onChange={(zones) => set({ zones })} width={160} />
            <NumberInput label="Balancers" value={draft.balancers} onChange={(balancers) => set({ balancers })} width={120} />
            <FormControlLabel control={<Checkbox checked={draft.gateway} onChange={(event) => set({ gateway: event.target.checked })} />} label="a gateway on top" />
          </>
        )}
      </Inputs>
      {given && <ProblemAlert error={shown.error} />}
      {given && draft.of === "hosts" && size.data && !size.error && (
        <SizeShown size={size.data} what={size.data.zones ? `${grouped(size.data.hosts!)} hosts in each of ${size.data.zones} zones, so that one may fail: ` : ""} />
      )}
      {given && draft.of === "subnets" && range.data && !range.error && (
        <Alert severity="info" icon={false}>
          <strong>/{range.data.length}</strong> under {range.data.sheet}: {range.data.why_not_smaller}. It holds {grouped(range.data.holds)} × /{range.data.unit},{" "}
          {grouped(range.data.spare)} spare.
        </Alert>
      )}
      <CommandLine text={draft.of === "hosts" ? `lentra size ${draft.amount || "180"}${draft.growth && ` --growth ${draft.growth}`}${draft.zones && ` --zones ${draft.zones}`}${draft.sheet && ` --sheet ${draft.sheet}`}` : `lentra size --subnets ${draft.amount || "300"}`} />
    </Stack>
  );
}
