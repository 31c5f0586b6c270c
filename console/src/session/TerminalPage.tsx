// A terminal asks to be let in as whoever is signed in here (RFC 8252): it gets a code that only it can use.
import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import Card from "@mui/material/Card";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { useSearchParams } from "react-router";
import { call, type Told } from "../api/client";
import { ProblemAlert } from "../parts/Answers";
import { CommandLine } from "../parts/CommandLine";
import { useTitle } from "../parts/useTitle";
import { useMe } from "./queries";
import { addressBack } from "./terminal";

export function TerminalPage() {
  useTitle("Let a terminal in");
  const me = useMe().data;
  const [query] = useSearchParams();
  const [refused, setRefused] = useState(false);
  const name = query.get("name") ?? "";
  const port = query.get("port") ?? "";
  const challenge = query.get("challenge") ?? "";
  const goBack = (answer: Record<string, string>) => {
    const back = addressBack(port, query.get("state") ?? "", answer);
    if (back) window.location.assign(back);
  };
  const allow = useMutation({
    mutationFn: () => call<Told<"CodeForTerminal">>("POST", "session/terminal", { body: { name, challenge } }),
    onSuccess: (given) => goBack({ code: given.code }),
  });
  const byHand = allow.data && !addressBack(port, "", {});
  return (
    <Stack sx={{ gap: 2, maxWidth: 560 }}>
      <Typography variant="h1">Let a terminal in</Typography>
      <Card sx={{ p: 3 }}>
        <Stack sx={{ gap: 2 }}>
          <Typography>
            A terminal that calls itself <strong>{name || "nothing"}</strong> asks to sign in as <strong>{me?.name}</strong> ({me?.role}). It gets a token of yours,
            which is among your tokens as {name}, and may do all that you may.
          </Typography>
          <Alert severity="warning">Let it in only if you have just typed lentra sign-in yourself.</Alert>
          <ProblemAlert error={allow.error} />
          {refused && <Alert severity="info">The terminal was not let in.</Alert>}
          {allow.data && !byHand && <Alert severity="success">Let in: go back to the terminal.</Alert>}
          {byHand && (
            <Stack sx={{ gap: 1 }}>
              <CommandLine text={allow.data.code} label="code" />
              <Typography color="text.secondary">Paste it in the terminal within five minutes. It is good once, and for that terminal alone.</Typography>
            </Stack>
          )}
          {!allow.data && !refused && (
            <Stack direction="row" sx={{ gap: 1 }}>
              <Button variant="contained" onClick={() => allow.mutate()} disabled={allow.isPending || !challenge}>
                Let it in
              </Button>
              <Button
                onClick={() => {
                  setRefused(true);
                  goBack({ error: "access_denied" });
                }}
              >
                No
              </Button>
            </Stack>
          )}
        </Stack>
      </Card>
    </Stack>
  );
}
