// One's second factor: set up with a QR code and confirmed by a code, or turned off; and the sessions that are open.
import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";
import { call, change, newKey, type Answer, type Page, type Told } from "../api/client";
import { Listed, ProblemAlert } from "../parts/Answers";
import { ConfirmChange } from "../parts/ConfirmChange";
import { Mono } from "../parts/Mono";
import { RecordTable } from "../parts/RecordTable";
import { shortTime } from "../parts/text";
import type { Person } from "./queries";

type Recovery = Told<"Recovery">;
type Open = Told<"OpenSession">;

export function SecondFactorCard({ me }: { me: Person }) {
  const queryClient = useQueryClient();
  const [code, setCode] = useState("");
  const begun = useMutation({ mutationFn: () => call<Told<"Secret">>("POST", "session/second-factor") });
  const send = (path: string) => call<Answer<Recovery>>("POST", `session/second-factor/${path}`, { body: { code }, key: newKey() });
  const after = async () => {
    setCode("");
    begun.reset();
    await queryClient.invalidateQueries({ queryKey: ["me"] });
  };
  const confirmed = useMutation({ mutationFn: () => send("confirm"), onSuccess: after });
  const off = useMutation({ mutationFn: () => send("off"), onSuccess: after });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    if (me.second_factor) off.mutate();
    else confirmed.mutate();
  };
  return (
    <Stack sx={{ gap: 1.5, alignItems: "start" }}>
      {me.needs_second_factor && !me.second_factor && <Alert severity="warning">A second factor is required of you: set one up before anything else.</Alert>}
      <Typography>{me.second_factor ? "A code of your authenticator is asked for at each sign-in." : "With a second factor, each sign-in needs a code of your authenticator as well (RFC 6238)."}</Typography>
      {!me.second_factor && !begun.data && (
        <Button variant="outlined" onClick={() => begun.mutate()} disabled={begun.isPending}>
          Set one up
        </Button>
      )}
      {begun.data && (
        <>
          <Box component="img" src={begun.data.picture} alt="The secret as a QR code" sx={{ bgcolor: "#ffffff", width: 200 }} />
          <Typography>
            Or type it: <Mono>{begun.data.secret}</Mono>
          </Typography>
        </>
      )}
      {(begun.data || me.second_factor) && (
        <Stack component="form" aria-label="Second factor" direction="row" onSubmit={submit} sx={{ gap: 1.5, flexWrap: "wrap", alignItems: "center" }}>
          <TextField
            label={me.second_factor ? "Code, or recovery code" : "A code that it shows"}
            value={code}
            onChange={(event) => setCode(event.target.value)}
            autoComplete="one-time-code"
            required
          />
          <Button type="submit" variant="outlined" color={me.second_factor ? "error" : "primary"} disabled={confirmed.isPending || off.isPending}>
            {me.second_factor ? "Turn it off" : "Confirm it"}
          </Button>
        </Stack>
      )}
      <ProblemAlert error={begun.error ?? confirmed.error ?? off.error} />
      {confirmed.data && me.second_factor && (
        <Alert severity="success">
          It counts from now on. Keep these recovery codes, each good for one sign-in; they are not shown again:
          <Box component="ul" sx={{ columns: 2, my: 1 }}>
            {confirmed.data.result.recovery.map((one) => (
              <li key={one}>
                <Mono>{one}</Mono>
              </li>
            ))}
          </Box>
        </Alert>
      )}
    </Stack>
  );
}

export function Sessions() {
  const sessions = useQuery({ queryKey: ["sessions"], queryFn: ({ signal }) => call<Page<Open>>("GET", "sessions", { query: { limit: 100 }, signal }) });
  const [ending, setEnding] = useState<Open | null>(null);
  return (
    <>
      <Listed query={sessions} rows={(page) => page.results} empty="No session is open.">
        {(rows) => (
          <RecordTable
            label="Sessions"
            rows={rows}
            columns={[
              { head: "Of", cell: (row) => row.person.name },
              { head: "Begun", cell: (row) => shortTime(row.begun_at) },
              { head: "From", cell: (row) => row.peer },
              { head: "With", cell: (row) => <span title={row.agent}>{row.agent.slice(0, 60)}</span> },
              { head: "", label: "Actions", cell: (row) => <Button color="error" size="small" onClick={() => setEnding(row)} aria-label={`End it: the session of ${row.person.name} from ${row.peer}`}>End it</Button> },
            ]}
          />
        )}
      </Listed>
      {ending && (
        <ConfirmChange
          title="End it"
          chain={[ending.person.name, ending.peer]}
          command={`lentra session end ${ending.id}`}
          run={(how) => change<Open>("DELETE", `sessions/${ending.id}`, {}, how)}
          onClose={() => setEnding(null)}
        />
      )}
    </>
  );
}
