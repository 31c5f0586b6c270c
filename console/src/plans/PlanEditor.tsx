// Making a plan: for whom and from where, a grid of zones and tiers, and what it comes to while one writes.
import Alert from "@mui/material/Alert";
import Card from "@mui/material/Card";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import ToggleButton from "@mui/material/ToggleButton";
import ToggleButtonGroup from "@mui/material/ToggleButtonGroup";
import Typography from "@mui/material/Typography";
import { useEffect, useState } from "react";
import { useSearchParams } from "react-router";
import { Loading, ProblemAlert } from "../parts/Answers";
import { CommandLine } from "../parts/CommandLine";
import { useTitle } from "../parts/useTitle";
import { CommitPlan } from "./CommitPlan";
import { EMPTY, documentOf, isComplete, textOf, type PlanDocument } from "./document";
import { takeText } from "./kept";
import { PlanFrame } from "./PlanFrame";
import { PlanGrid } from "./PlanGrid";
import { PlanPicture } from "./PlanPicture";
import { ProposedPlan } from "./ProposedPlan";
import { GiveBackChoice } from "./GiveBackChoice";
import { usePlan, usePlanPreview, type GiveBack, type Plan, type Written } from "./queries";

export function PlanEditorPage() {
  useTitle("Make a plan");
  const [query] = useSearchParams();
  const from = query.get("from") ?? "";
  const plan = usePlan(from);
  const [begun] = useState(takeText);
  if (from && plan.isPending) return <Loading what="the plan" />;
  return <PlanEditor key={from} plan={plan.data ?? null} begun={begun} />;
}

function PlanEditor({ plan, begun }: { plan: Plan | null; begun: string | null }) {
  const [document, setDocument] = useState<PlanDocument>(plan?.document ?? EMPTY);
  const [text, setText] = useState<string | null>(() => (plan ? null : begun));
  const [giveBack, setGiveBack] = useState<GiveBack>({ give_back: false, despite_use: false });
  const written: Written | null = text !== null ? { text } : isComplete(document) ? { document } : null;
  const settled = useSettled(written);
  const preview = usePlanPreview(settled, giveBack);
  const show = (mode: string) => {
    if (mode === "text") setText(textOf(document));
    else if (text !== null) {
      const read = documentOf(text);
      if (read) {
        setDocument(read);
        setText(null);
      }
    }
  };
  return (
    <Stack sx={{ gap: 2 }}>
      <Stack direction="row" sx={{ gap: 2, alignItems: "center", flexWrap: "wrap" }}>
        <Typography variant="h1" sx={{ flexGrow: 1 }}>
          {plan ? `Change plan ${plan.name}` : "Make a plan"}
        </Typography>
        <ToggleButtonGroup exclusive size="small" value={text === null ? "grid" : "text"} onChange={(_, mode) => mode && show(mode)} aria-label="How the plan is written">
          <ToggleButton value="grid" disabled={text !== null && documentOf(text) === null}>
            Grid
          </ToggleButton>
          <ToggleButton value="text">Text</ToggleButton>
        </ToggleButtonGroup>
      </Stack>
      {text === null ? (
        <>
          <Card sx={{ p: 2 }}>
            <PlanFrame document={document} onChange={setDocument} fixedName={!!plan} />
          </Card>
          <Card sx={{ p: 2 }}>
            <PlanGrid document={document} onChange={setDocument} there={written ? preview.data?.result : undefined} />
          </Card>
        </>
      ) : (
        <Card sx={{ p: 2 }}>
          <TextField
            label="The plan, as YAML or JSON"
            multiline
            fullWidth
            minRows={14}
            value={text}
            onChange={(event) => setText(event.target.value)}
            slotProps={{ htmlInput: { spellCheck: false, style: { fontFamily: "ui-monospace, monospace", fontSize: 14 } } }}
          />
        </Card>
      )}
      {!written && <Alert severity="info">Say name, project and pool, then add zones and tiers: what the plan comes to is shown as you go.</Alert>}
      {written && preview.isPending && <Loading what="what the plan comes to" />}
      {written && <ProblemAlert error={preview.error} />}
      {written && <GiveBackChoice unwanted={preview.data?.result.counts["no longer wanted"] ?? 0} value={giveBack} onChange={setGiveBack} />}
      {written && preview.data && !preview.error && (
        <>
          <PlanPicture there={preview.data.result} />
          <ProposedPlan proposed={preview.data.result} />
          <CommitPlan
            written={settled!}
            answer={preview.data}
            giveBack={giveBack}
            stale={preview.isPlaceholderData || settled !== written}
          />
          <CommandLine text={`lentra plan commit ${document.name || "plan"}.yaml${giveBack.give_back ? " --give-back" : ""}${giveBack.despite_use ? " --despite-use" : ""}`} />
        </>
      )}
    </Stack>
  );
}

/** What is written, once typing pauses. */
function useSettled(written: Written | null): Written | null {
  const [settled, setSettled] = useState(written);
  const key = JSON.stringify(written);
  useEffect(() => {
    const wait = setTimeout(() => setSettled(written), 400);
    return () => clearTimeout(wait);
    // `written` is a new object at each drawing; its text says whether it changed.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [key]);
  return JSON.stringify(settled) === key ? written : settled;
}
