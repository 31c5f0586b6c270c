// How it goes with a source: when it is asked, what came of it, and its surveys with their counts.
import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import Card from "@mui/material/Card";
import CardContent from "@mui/material/CardContent";
import LinearProgress from "@mui/material/LinearProgress";
import Link from "@mui/material/Link";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Link as RouterLink } from "react-router";
import type { Told } from "../api/client";
import { commandLine } from "../parts/command";
import { ConfirmChange } from "../parts/ConfirmChange";
import { Facts } from "../parts/Facts";
import { RecordTable } from "../parts/RecordTable";
import { grouped, shortTime } from "../parts/text";
import { useMay } from "../session/queries";
import { actOn, type AnyRecord } from "../setup/queries";
import { useSource, useSurveys } from "./queries";

const DOING = {
  ask: { title: "Have the source asked now", verb: "run", says: "It is asked at once." },
  "leave-off": { title: "Leave the survey off", verb: "cancel", says: "What it saw last is kept." },
} as const;

export function SourceCard({ record }: { record: AnyRecord }) {
  const [doing, setDoing] = useState<keyof typeof DOING | null>(null);
  const may = useMay("planner");
  const source = useSource(record.id).data ?? (record as unknown as Told<"Source">);
  const surveys = useSurveys({ source: String(record.name), limit: "20" }, source.seen_at);
  const look = source.look;
  return (
    <Card>
      <CardContent>
        <Stack sx={{ gap: 1.5 }}>
          <Typography variant="h2">Surveys</Typography>
          {look?.failing_since && (
            <Alert severity="warning">
              It cannot be asked since {shortTime(look.failing_since)}: {look.outcome}. What it saw last is kept.
            </Alert>
          )}
          {look?.begun_at && (
            <>
              <LinearProgress aria-label="It is being asked" />
              <Typography color="text.secondary">{`Being asked since ${shortTime(look.begun_at)}: ${grouped(look.got ?? 0)} so far.`}</Typography>
            </>
          )}
          <Facts
            facts={[
              ["looked last", source.seen_at ? shortTime(source.seen_at) : "never"],
              ["asked last", look?.asked_at && `${shortTime(look.asked_at)}: ${look.outcome}`],
              ["asked next", look && !look.begun_at && (look.due_at ? shortTime(look.due_at) : "when told to")],
              ["its feed", source.follows && (look?.position ? `followed, at ${look.position}` : "followed once it has been asked")],
            ]}
          />
          {look && may && (
            <Stack direction="row" sx={{ gap: 1 }}>
              {look.begun_at ? (
                <Button variant="outlined" onClick={() => setDoing("leave-off")}>
                  Leave off
                </Button>
              ) : (
                <Button variant="outlined" onClick={() => setDoing("ask")}>
                  Ask now
                </Button>
              )}
            </Stack>
          )}
          {(surveys.data?.results.length ?? 0) > 0 && (
            <RecordTable
              label="Surveys of it"
              rows={surveys.data!.results}
              columns={[
                { head: "Looked", cell: (row) => shortTime(row.at) },
                { head: "Told", cell: (row) => (row.whole ? "all that it sees" : "what had changed") },
                { head: "Seen", right: true, cell: (row) => grouped(row.counts.seen) },
                { head: "New", right: true, cell: (row) => grouped(row.counts.new) },
                { head: "Gone", right: true, cell: (row) => grouped(row.counts.gone) },
                {
                  head: "Findings opened",
                  right: true,
                  cell: (row) =>
                    row.counts.opened ? (
                      <Link component={RouterLink} to={`/findings?since=${encodeURIComponent(row.taken_at)}`} aria-label={`${grouped(row.counts.opened)} findings opened by the survey of ${shortTime(row.at)}`}>
                        {grouped(row.counts.opened)}
                      </Link>
                    ) : (
                      "0"
                    ),
                },
                { head: "Closed", right: true, cell: (row) => grouped(row.counts.closed) },
                { head: "Open then", right: true, cell: (row) => grouped(row.counts.open) },
              ]}
            />
          )}
        </Stack>
      </CardContent>
      {doing && (
        <ConfirmChange
          title={DOING[doing].title}
          chain={[source.realm.name, source.name]}
          command={commandLine(["survey", DOING[doing].verb, source.name])}
          run={(how) => actOn("sources", record.id, doing, {}, how)}
          describe={() => DOING[doing].says}
          onClose={() => setDoing(null)}
        />
      )}
    </Card>
  );
}
