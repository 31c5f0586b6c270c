import Button from "@mui/material/Button";
import Card from "@mui/material/Card";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { change, newKey, type Answer } from "../api/client";
import { refreshed } from "../api/refreshing";
import { ProblemAlert } from "../parts/Answers";
import { Chain, ConfirmChange } from "../parts/ConfirmChange";
import { NOTHING_SAID, WaitsNote } from "../parts/Waits";
import { useMay } from "../session/queries";
import { send, type GiveBack, type Proposed, type Written } from "./queries";

/** Hold or commit exactly what the preview shows. */
export function CommitPlan({
  written,
  answer,
  giveBack,
  stale,
}: {
  written: Written;
  answer: Answer<Proposed>;
  giveBack: GiveBack;
  stale: boolean;
}) {
  const [why, setWhy] = useState("");
  const [said, setSaid] = useState(NOTHING_SAID);
  const [minutes, setMinutes] = useState("15");
  const [key] = useState(() => newKey());
  const queryClient = useQueryClient();
  const navigate = useNavigate();
  const proposed = answer.result;
  const done = useMutation({
    mutationFn: (hold: number) =>
      send(written, { proposal: answer.proposal, ...giveBack, hold_minutes: hold || null }, false, why, `${key}-${hold}-${answer.proposal?.slice(-20)}`, answer.waits ? { ...said } : {}),
    onSuccess: async (made) => {
      await refreshed(queryClient);
      if (made.waits) return navigate(`/waiting/${made.waits.request}`);
      navigate(`/plans/${made.result.plan!.id}`);
    },
  });
  const ready = proposed.possible && !stale && !done.isPending;
  const pools = [...new Set(proposed.usage.map((row) => row.pool.name))];
  return (
    <Card sx={{ p: 2 }}>
      <Stack sx={{ gap: 1.5 }}>
        <Chain steps={[pools.join(" + "), `${proposed.counts["added"] ?? 0} subnets`]} />
        {answer.waits && <WaitsNote waits={answer.waits} said={said} onChange={setSaid} />}
        <Stack direction="row" sx={{ gap: 2, flexWrap: "wrap", alignItems: "center" }}>
          <TextField label="Reason (optional)" value={why} onChange={(event) => setWhy(event.target.value)} sx={{ minWidth: 300 }} />
          <Button variant="contained" disabled={!ready} onClick={() => done.mutate(0)}>
            {answer.waits ? "Ask for the plan" : "Commit the plan"}
          </Button>
          <TextField label="Minutes" type="number" value={minutes} onChange={(event) => setMinutes(event.target.value)} sx={{ width: 100 }} />
          <Button variant="outlined" disabled={!ready || !!answer.waits || !(Number(minutes) > 0)} onClick={() => done.mutate(Number(minutes))}>
            Hold it
          </Button>
        </Stack>
        <Expect written={written} disabled={!proposed.possible || stale} />
        <ProblemAlert error={done.error} />
        {done.error && (
          <Button
            sx={{ alignSelf: "start" }}
            onClick={() => {
              done.reset();
              void queryClient.invalidateQueries({ queryKey: ["preview", "plan"] });
            }}
          >
            Look again
          </Button>
        )}
      </Stack>
    </Card>
  );
}

/** A plan for later: what it would hand out becomes planned needs, which forecasts count with. */
function Expect({ written, disabled }: { written: Written; disabled: boolean }) {
  const [day, setDay] = useState("");
  const [sure, setSure] = useState(false);
  const navigate = useNavigate();
  if (!useMay("planner")) return null;
  return (
    <Stack direction="row" sx={{ gap: 2, alignItems: "center" }}>
      <TextField label="Or expect it on" type="date" value={day} onChange={(event) => setDay(event.target.value)} slotProps={{ inputLabel: { shrink: true } }} />
      <Button disabled={disabled || !day} onClick={() => setSure(true)}>
        Count on it
      </Button>
      {sure && (
        <ConfirmChange
          title="Count on it"
          chain={[`expected on ${day}`]}
          command={`lentra plan expect PLAN.yaml --day ${day}`}
          run={(how) => change<{ needs: { name: string; count: number; length: number }[] }>("POST", "expected-plans", { ...written, day }, how)}
          describe={(made) => made.needs.map((need) => `${need.count} × /${need.length} (${need.name})`).join(", ")}
          onClose={() => setSure(false)}
          onDone={() => navigate("/set-up/planned-needs")}
        />
      )}
    </Stack>
  );
}
