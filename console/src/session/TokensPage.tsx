import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import Card from "@mui/material/Card";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState, type FormEvent } from "react";
import { Listed, ProblemAlert } from "../parts/Answers";
import { CommandLine } from "../parts/CommandLine";
import { RecordTable } from "../parts/RecordTable";
import { shortTime } from "../parts/text";
import { useTitle } from "../parts/useTitle";
import { useAddToken, useRevokeToken, useTokens } from "./queries";

export function TokensPage() {
  useTitle("Tokens");
  const tokens = useTokens();
  const add = useAddToken();
  const revoke = useRevokeToken();
  const [name, setName] = useState("");
  const submit = (event: FormEvent) => {
    event.preventDefault();
    add.mutate(name, { onSuccess: () => setName("") });
  };
  return (
    <Stack sx={{ gap: 2 }}>
      <Typography variant="h1">Tokens</Typography>
      <Typography color="text.secondary">A token signs in a program, or the command line, as you.</Typography>
      <Stack component="form" onSubmit={submit} direction="row" sx={{ gap: 1 }}>
        <TextField label="Name of a new token" value={name} onChange={(e) => setName(e.target.value)} required />
        <Button type="submit" variant="contained" disabled={add.isPending}>
          Make it
        </Button>
      </Stack>
      <ProblemAlert error={add.error ?? revoke.error} />
      {add.data?.result.text && (
        <Alert severity="success">
          Copy it now, it is not shown again:
          <CommandLine text={add.data.result.text} label="token" />
        </Alert>
      )}
      <Card>
        <Listed query={tokens} empty="No tokens yet." rows={(page) => page.results}>
          {(rows) => (
            <RecordTable
              label="Tokens"
              rows={rows}
              columns={[
                { head: "Name", cell: (token) => token.name },
                { head: "Of", cell: (token) => token.person.name },
                { head: "Ends", cell: (token) => (token.expires_at ? shortTime(token.expires_at) : "never") },
                { head: "State", cell: (token) => (token.revoked_at ? `revoked ${shortTime(token.revoked_at)}` : "in force") },
                {
                  head: "",
                  label: "Actions",
                  cell: (token) =>
                    !token.revoked_at && (
                      <Button size="small" onClick={() => revoke.mutate(token.id)} aria-label={`Revoke ${token.name}`}>
                        Revoke
                      </Button>
                    ),
                },
              ]}
            />
          )}
        </Listed>
      </Card>
    </Stack>
  );
}
