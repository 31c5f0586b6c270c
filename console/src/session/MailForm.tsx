// How one is told by mail: where to, and at once, once a day, or never.
import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";
import { call, newKey, type Answer } from "../api/client";
import { ProblemAlert } from "../parts/Answers";
import { Choice } from "../parts/Choice";
import type { Person } from "./queries";

const HOW = [["at once", "at once"], ["daily", "once a day"], ["never", "never"]] as const;

export function MailForm({ me }: { me: Person }) {
  const [email, setEmail] = useState(me.email);
  const [mail, setMail] = useState<string>(me.mail);
  const queryClient = useQueryClient();
  const sent = useMutation({
    mutationFn: () => call<Answer<Person>>("POST", "session/mail", { body: { email, mail }, key: newKey() }),
    onSuccess: () => queryClient.invalidateQueries({ queryKey: ["me"] }),
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    sent.mutate();
  };
  return (
    <Stack component="form" aria-label="Mail" onSubmit={submit} sx={{ gap: 1.5, alignItems: "start" }}>
      <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap" }}>
        <TextField label="Mail address" type="email" value={email} onChange={(event) => setEmail(event.target.value)} sx={{ minWidth: 280 }} />
        <Choice label="Told of requests" value={mail} choices={HOW} onChange={setMail} width={170} />
      </Stack>
      <ProblemAlert error={sent.error} />
      {sent.isSuccess && <Alert severity="success">So it is done from now on.</Alert>}
      <Button type="submit" variant="outlined" disabled={sent.isPending}>
        Keep it
      </Button>
    </Stack>
  );
}
