// A guided beginning: a few answers, step by step; then all that would be made, and then it is made.
import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Card from "@mui/material/Card";
import Link from "@mui/material/Link";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";
import { Link as RouterLink, useNavigate } from "react-router";
import { call, change, type Told } from "../api/client";
import { ProblemAlert, Shown } from "../parts/Answers";
import { CommandLine } from "../parts/CommandLine";
import { ConfirmChange } from "../parts/ConfirmChange";
import { RecordTable } from "../parts/RecordTable";
import { shellWord } from "../parts/text";
import { useTitle } from "../parts/useTitle";

type Steps = Told<"BeginSteps">;
type Beginning = Told<"Beginning">;
type Proposed = Told<"ProposedEstate">;

export function BeginPage() {
  useTitle("Begin");
  const steps = useQuery({ queryKey: ["begin"], queryFn: ({ signal }) => call<Steps>("GET", "begin", { signal }) });
  return (
    <Stack sx={{ gap: 2, maxWidth: 960 }}>
      <Typography variant="h1">Begin</Typography>
      <Typography color="text.secondary">
        From nothing to a first layout. Nothing is made before you have seen all of it; everything can be changed later. Who has a spreadsheet or an estate file begins with{" "}
        <Link component={RouterLink} to="/intakes">
          Bring in
        </Link>
        .
      </Typography>
      <Shown query={steps} what="the steps">
        {(data) => <Asking steps={data.steps} />}
      </Shown>
    </Stack>
  );
}

function Asking({ steps }: { steps: Steps["steps"] }) {
  const [at, setAt] = useState(0);
  const [answers, setAnswers] = useState<Record<string, string>>(() => Object.fromEntries(steps.flatMap((step) => step.questions.map((one) => [one.name, one.usual]))));
  const [sure, setSure] = useState(false);
  const navigate = useNavigate();
  const made = useMutation({
    mutationFn: async () => {
      const file = await call<Beginning>("POST", "begin", { body: { answers } });
      const seen = await change<Proposed>("POST", "estate", { text: file.text, files: file.files }, { preview: true, why: "" });
      return { file, proposed: seen.result };
    },
  });
  const step = steps[at]!;
  const last = at === steps.length - 1;
  const set = Object.entries(answers)
    .filter(([name, answer]) => answer !== steps.flatMap((one) => one.questions).find((question) => question.name === name)?.usual)
    .map(([name, answer]) => `--set ${shellWord(`${name}=${answer}`)}`);
  const submit = (event: FormEvent) => {
    event.preventDefault();
    if (last) made.mutate();
    else setAt(at + 1);
  };
  return (
    <>
      <Card component="form" aria-label={step.title} onSubmit={submit} sx={{ p: 2.5 }}>
        <Stack sx={{ gap: 2 }}>
          <Typography color="text.secondary">
            {at + 1} of {steps.length}
          </Typography>
          <Typography variant="h2">{step.title}</Typography>
          <Typography>{step.words}</Typography>
          <Stack direction="row" sx={{ gap: 2, flexWrap: "wrap" }}>
            {step.questions.map((question) => (
              <TextField
                key={question.name}
                label={question.label}
                value={answers[question.name] ?? ""}
                helperText={question.help}
                onChange={(event) => {
                  setAnswers({ ...answers, [question.name]: event.target.value });
                  made.reset();
                }}
                sx={{ minWidth: 280 }}
              />
            ))}
          </Stack>
          <Stack direction="row" sx={{ gap: 1.5 }}>
            <Button disabled={at === 0} onClick={() => (setAt(at - 1), made.reset())}>
              Back
            </Button>
            <Button type="submit" variant="contained" disabled={made.isPending}>
              {last ? "Look at all of it" : "Next"}
            </Button>
          </Stack>
        </Stack>
      </Card>
      <ProblemAlert error={made.error} />
      {made.data && (
        <Card component="section" aria-label="All of it" sx={{ p: 2.5 }}>
          <Typography variant="h2" gutterBottom>
            All of it
          </Typography>
          {!made.data.proposed.possible && <Alert severity="error">It cannot be made as it stands: see what is refused.</Alert>}
          <RecordTable
            label="What would be made"
            rows={made.data.proposed.entries.filter((entry) => entry.what !== "not in the file").map((entry) => ({ ...entry, id: entry.where }))}
            columns={[
              { head: "Where", cell: (entry) => entry.where },
              { head: "What", cell: (entry) => entry.what },
              { head: "Why not", cell: (entry) => entry.message || "—" },
            ]}
          />
          {Object.entries(made.data.file.files).map(([name, text]) => (
            <details key={name} open>
              <summary>{name}</summary>
              <Box component="pre" sx={{ overflowX: "auto", fontSize: 13 }}>
                {text}
              </Box>
            </details>
          ))}
          {made.data.proposed.possible && (
            <Button variant="contained" onClick={() => setSure(true)}>
              Make it
            </Button>
          )}
        </Card>
      )}
      <CommandLine text={["lentra begin", ...set].join(" ")} />
      {sure && made.data && (
        <ConfirmChange
          title="Make it"
          chain={[answers["realm"] ?? "", answers["pool"] ?? ""]}
          command={["lentra begin", ...set].join(" ")}
          run={(how) => change<Proposed>("POST", "estate", { text: made.data.file.text, files: made.data.file.files }, how)}
          onClose={() => setSure(false)}
          onDone={() => navigate("/plans")}
        />
      )}
    </>
  );
}
