// Asking for a subnet: for whom and where, how large, out of which pool, then a look and a word.
import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import Card from "@mui/material/Card";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState, type ReactNode } from "react";
import { useNavigate, useSearchParams } from "react-router";
import { newKey } from "../api/client";
import { refreshed } from "../api/refreshing";
import { ProblemAlert } from "../parts/Answers";
import { CommandLine } from "../parts/CommandLine";
import { useTitle } from "../parts/useTitle";
import type { Said } from "../parts/Waits";
import { Candidates } from "./Candidates";
import { Confirmation } from "./Confirmation";
import { ForWhom } from "./ForWhom";
import { HowLarge } from "./HowLarge";
import { useSubnet } from "../subnets/queries";
import { commandOf, draftLike, draftOf, EMPTY, keepDraft, keptDraft, needOf, wantedOf, type Draft } from "./draft";
import { requestSubnets, type Candidate } from "./queries";

export function RequestPage() {
  useTitle("Ask for a subnet");
  const [query] = useSearchParams();
  const [draft, setDraft] = useState<Draft>(() => draftOf(query) ?? keptDraft());
  const model = useSubnet(query.get("like") ?? "");
  const like = model.data;
  const [taken, setTaken] = useState<number>();
  if (like && taken !== like.id) {
    setTaken(like.id);
    setDraft(draftLike(like));
  }
  useEffect(() => keepDraft(draft), [draft]);
  const [chosen, setChosen] = useState<Candidate | null>(null);
  const [key, setKey] = useState("");
  const navigate = useNavigate();
  const queryClient = useQueryClient();
  const placed = !!draft.project && !!draft.tier && (!!draft.zone || !!draft.region);
  const sized = draft.by === "hosts" ? Number(draft.hosts) > 0 : draft.length !== "" || draft.families === "6";
  const wanted = wantedOf(draft, chosen);
  const instead: Record<string, string> = query.get("instead") ? { instead_of: query.get("instead")! } : {};
  const look = useMutation({
    mutationFn: () => requestSubnets(wanted, true, "", undefined, instead),
    onSuccess: () => setKey(newKey()),
  });
  const done = useMutation({
    mutationFn: ({ why, said }: { why: string; said: Said }) =>
      requestSubnets({ ...wanted, proposal: look.data!.proposal }, false, why, key, { ...instead, ...(look.data!.waits ? { ...said } : {}) }),
    onSuccess: async (answer) => {
      keepDraft(null);
      await refreshed(queryClient);
      if (answer.waits) return navigate(`/waiting/${answer.waits.request}`);
      const made = answer.result.subnets;
      navigate(`/pools/${made[0]!.pool.id}?new=${made.map((subnet) => subnet.id).join(",")}`);
    },
  });
  const change = (values: Partial<Draft>) => {
    setDraft({ ...draft, ...values });
    setChosen(null);
    look.reset();
    done.reset();
  };
  return (
    <Stack sx={{ gap: 2, maxWidth: 1300 }}>
      <Stack direction="row" sx={{ alignItems: "center", justifyContent: "space-between" }}>
        <Typography variant="h1">Ask for a subnet</Typography>
        {JSON.stringify(draft) !== JSON.stringify(EMPTY) && <Button onClick={() => change(EMPTY)}>Begin anew</Button>}
      </Stack>
      {like && (
        <Alert severity="info">
          Like {like.name}: what was said for it is filled in, and can be changed.
        </Alert>
      )}
      {query.get("instead") && <Alert severity="info">In the place of request {query.get("instead")}, which is withdrawn once this one is asked for.</Alert>}
      <ProblemAlert error={model.error} />
      <Step number={1} title="For whom, and where">
        <ForWhom draft={draft} onChange={change} />
      </Step>
      {placed && (
        <Step number={2} title="How large">
          <HowLarge draft={draft} onChange={change} chosen={chosen} />
        </Step>
      )}
      {placed && sized && (
        <Step number={3} title="Out of which pool">
          <Candidates
            need={needOf(draft)}
            only={query.get("pool")}
            chosen={chosen}
            onChoose={(candidate) => {
              setChosen(candidate);
              look.reset();
              done.reset();
            }}
          />
        </Step>
      )}
      {chosen && (
        <Step number={4} title="Look, then confirm">
          {!look.data && (
            <Button variant="contained" onClick={() => look.mutate()} disabled={look.isPending} sx={{ alignSelf: "start" }}>
              Look at the proposal
            </Button>
          )}
          {look.data && <Confirmation answer={look.data} busy={done.isPending} onConfirm={(why, said) => done.mutate({ why, said })} />}
          <ProblemAlert
            error={done.error ?? look.error}
            onTake={(name, value) => (name in EMPTY ? () => change({ [name]: value, ...(name === "hosts" || name === "length" ? { by: name } : {}) }) : undefined)}
          />
          {done.error && (
            <Button onClick={() => (done.reset(), look.reset())} sx={{ alignSelf: "start" }}>
              Look again
            </Button>
          )}
          <CommandLine text={commandOf({ ...wanted, ...instead })} />
        </Step>
      )}
    </Stack>
  );
}

function Step({ number, title, children }: { number: number; title: string; children: ReactNode }) {
  return (
    <Card component="section" aria-label={title} sx={{ p: 2 }}>
      <Stack sx={{ gap: 2 }}>
        <Typography variant="h2">
          {number}. {title}
        </Typography>
        {children}
      </Stack>
    </Card>
  );
}
