// How far a subscription has come, what stands in its way; paused, resumed, and sent to again from any entry on.
import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import Card from "@mui/material/Card";
import CardContent from "@mui/material/CardContent";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { Told } from "../api/client";
import { commandLine } from "../parts/command";
import { ConfirmChange } from "../parts/ConfirmChange";
import { Facts } from "../parts/Facts";
import { grouped, shortTime } from "../parts/text";
import { useMay } from "../session/queries";
import { actOn, type AnyRecord } from "./queries";

type Doing = { title: string; what: "pause" | "resume"; body: { reason?: string; after?: number } };

export function SubscriptionCard({ record }: { record: AnyRecord }) {
  const one = record as unknown as Told<"Subscription">;
  const [doing, setDoing] = useState<Doing | null>(null);
  const [after, setAfter] = useState("");
  const may = useMay("planner");
  return (
    <Card>
      <CardContent>
        <Stack sx={{ gap: 1.5 }}>
          <Typography variant="h2">How far it has come</Typography>
          {one.paused && <Alert severity="error">Paused: {one.paused}. What is changed meanwhile is sent once it goes on.</Alert>}
          {!one.paused && one.failing_since && (
            <Alert severity="warning">
              The next event has not been taken since {shortTime(one.failing_since)} ({one.outcome}, {one.tries} {one.tries === 1 ? "try" : "tries"}); it is tried again, and nothing overtakes it.
            </Alert>
          )}
          <Facts
            facts={[
              ["events taken", grouped(one.taken ?? 0)],
              ["the last one", one.taken_at ? shortTime(one.taken_at) : "none yet"],
              ["the ledger is dealt with up to", `entry ${one.sent ?? 0}`],
              ["the last try", one.outcome],
            ]}
          />
          {may && (
            <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap", alignItems: "center" }}>
              {one.paused ? (
                <Button variant="contained" onClick={() => setDoing({ title: "Go on sending", what: "resume", body: {} })}>
                  Resume
                </Button>
              ) : (
                <Button variant="outlined" onClick={() => setDoing({ title: "Send nothing for now", what: "pause", body: {} })}>
                  Pause
                </Button>
              )}
              <TextField label="Entry number" type="number" value={after} onChange={(event) => setAfter(event.target.value)} sx={{ width: 150 }} />
              <Button disabled={after === ""} onClick={() => setDoing({ title: "Send again", what: "resume", body: { after: Number(after) } })}>
                Send again what came after it
              </Button>
            </Stack>
          )}
        </Stack>
        {doing && (
          <ConfirmChange
            title={doing.title}
            chain={["subscription", one.name]}
            command={commandLine(["subscription", doing.what, one.name], doing.body)}
            run={(how) => actOn("subscriptions", one.id, doing.what, doing.body, how)}
            describe={() => <Typography>{doing.what === "pause" ? `Nothing more goes to ${one.endpoint} until it is resumed.` : `What came after entry ${doing.body.after ?? one.sent} goes to ${one.endpoint}.`}</Typography>}
            onClose={() => setDoing(null)}
          />
        )}
      </CardContent>
    </Card>
  );
}
