// What if: a pool today beside the same pool with more ranges, a plan, other growth; and which blocks to move so that a length fits.
import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Card from "@mui/material/Card";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";
import { ProblemAlert } from "../parts/Answers";
import { CommandLine } from "../parts/CommandLine";
import { RecordTable } from "../parts/RecordTable";
import { counted, grouped, percent, shellWord } from "../parts/text";
import { useFilters } from "../parts/useFilters";
import { CompactionCard } from "./CompactionCard";
import { suppose, type Supposed, type WhatIfAnswer } from "./queries";
import { Scope } from "./Scope";
import { UsageChart } from "./UsageChart";

interface Draft {
  ranges: string;
  growth: string;
  needs: string;
  plan: string;
  idle: boolean;
}

const EMPTY: Draft = { ranges: "", growth: "100", needs: "", plan: "", idle: false };
const NEED = /^(\d+)x([46]?)\/(\d+)@(\d{4}-\d\d-\d\d)$/;

export function WhatIf() {
  const { filters } = useFilters();
  const pool = filters["pool"] ?? "";
  const [draft, setDraft] = useState(EMPTY);
  const asked = useMutation({ mutationFn: () => suppose(pool, supposedOf(draft)) });
  const set = (values: Partial<Draft>) => setDraft({ ...draft, ...values });
  const badNeed = words(draft.needs).find((word) => !NEED.test(word));
  const submit = (event: FormEvent) => {
    event.preventDefault();
    asked.mutate();
  };
  return (
    <>
      <Card component="form" onSubmit={submit} sx={{ p: 2 }}>
        <Stack sx={{ gap: 2 }}>
          <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap", alignItems: "flex-start" }}>
            <Scope names={["pool"]} />
            <TextField label="Add ranges" value={draft.ranges} onChange={(event) => set({ ranges: event.target.value })} helperText="prefixes with commas between" sx={{ minWidth: 230 }} />
            <TextField label="Growth, % of today's" type="number" value={draft.growth} onChange={(event) => set({ growth: event.target.value })} sx={{ width: 170 }} slotProps={{ htmlInput: { min: 0, max: 10000 } }} />
            <TextField
              label="Needs to come"
              value={draft.needs}
              onChange={(event) => set({ needs: event.target.value })}
              error={Boolean(badNeed)}
              helperText={badNeed ? `${badNeed}: write 6x/24@2027-03-01` : "6x/24@2027-03-01: six /24 on that day"}
              sx={{ minWidth: 260 }}
            />
            <FormControlLabel control={<Checkbox checked={draft.idle} onChange={(event) => set({ idle: event.target.checked })} />} label="Give back what nothing uses" />
          </Stack>
          <details>
            <summary>Commit a plan</summary>
            <TextField label="The plan as text" multiline minRows={4} maxRows={16} fullWidth value={draft.plan} onChange={(event) => set({ plan: event.target.value })} sx={{ mt: 1 }} />
          </details>
          <Box>
            <Button type="submit" variant="contained" disabled={!pool || Boolean(badNeed) || asked.isPending}>
              Look ahead
            </Button>
          </Box>
        </Stack>
        <CommandLine text={commandFor(pool, draft)} />
      </Card>
      {!pool && <Alert severity="info">Choose a pool. Nothing is changed by looking ahead.</Alert>}
      <ProblemAlert error={asked.error} />
      {asked.data && <Beside answer={asked.data} />}
      {pool && <CompactionCard key={pool} pool={pool} />}
    </>
  );
}

function words(text: string): string[] {
  return text.split(/[\s,]+/).filter(Boolean);
}

function supposedOf(draft: Draft): Supposed {
  const supposed: Supposed = {};
  if (draft.ranges.trim()) supposed.ranges = words(draft.ranges);
  if (draft.growth.trim() && draft.growth !== "100") supposed.growth_percent = Number(draft.growth);
  if (draft.idle) supposed.give_back_idle = true;
  if (draft.plan.trim()) supposed.text = draft.plan;
  if (draft.needs.trim())
    supposed.needs = words(draft.needs).map((word) => {
      const [, count, family, length, day] = NEED.exec(word)!;
      return { count: Number(count), family: Number(family || 4), length: Number(length), day: day! };
    });
  return supposed;
}

function commandFor(pool: string, draft: Draft): string {
  return [
    `lentra what-if ${pool || "POOL"}`,
    ...words(draft.ranges).map((range) => `--range ${range}`),
    draft.growth !== "100" && draft.growth ? `--growth ${draft.growth}` : "",
    ...words(draft.needs).map((need) => `--need ${shellWord(need)}`),
    draft.plan.trim() ? "--plan plan.yaml" : "",
    draft.idle ? "--give-back-idle" : "",
  ]
    .filter(Boolean)
    .join(" ");
}

type Family = WhatIfAnswer["families"][number];

function Beside({ answer }: { answer: WhatIfAnswer }) {
  return (
    <Card sx={{ p: 2 }}>
      <Typography variant="h2">{answer.pool.name}: today and then</Typography>
      <Typography color="text.secondary">{answer.done.join("; ")}</Typography>
      {answer.notes.map((note) => (
        <Alert key={note} severity="info" sx={{ mt: 1 }}>
          {note}
        </Alert>
      ))}
      {answer.families.map((family) => (
        <Box key={family.family} sx={{ mt: 2 }}>
          <Typography variant="h3">IPv{family.family}</Typography>
          <UsageChart headroom={family.today} then={family.then} name={answer.pool.name} />
          <RecordTable
            label={`Today and then, IPv${family.family}`}
            rows={figuresOf(family).map((row) => ({ ...row, id: row.what }))}
            columns={[
              { head: "What", cell: (row) => row.what },
              { head: "Today", right: true, cell: (row) => row.today },
              { head: "Then", right: true, cell: (row) => (row.then === row.today ? row.then : <b>{row.then}</b>) },
            ]}
          />
        </Box>
      ))}
    </Card>
  );
}

function figuresOf({ today, then, still_fits, family }: Family) {
  const when = (row: { reached: boolean; likely: string | null } | undefined) => (row?.reached ? "reached" : (row?.likely ?? "not in sight"));
  return [
    { what: "In all", today: counted(today.total, family), then: counted(then.total, family) },
    { what: "In use", today: percent(today.used_percent), then: percent(then.used_percent) },
    ...today.thresholds.map((row, n) => ({ what: `${row.name}, ${row.percent} %`, today: when(row), then: when(then.thresholds[n]) })),
    ...today.lengths.map((row) => ({
      what: `/${row.length} lasts until`,
      today: row.until ?? "as far as can be seen",
      then: then.lengths.find((one) => one.length === row.length)?.until ?? "as far as can be seen",
    })),
    ...still_fits.filter((row) => row.today !== "0" || row.then !== "0").map((row) => ({ what: `/${row.length} still fit`, today: grouped(row.today), then: grouped(row.then) })),
  ];
}

