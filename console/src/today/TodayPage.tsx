// The first page: what one comes for, by what one does. A few lists of few lines, each with a way on.
import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Card from "@mui/material/Card";
import Link from "@mui/material/Link";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { Link as RouterLink } from "react-router";
import { call, type Told } from "../api/client";
import { placeOf } from "../find/places";
import { Shown } from "../parts/Answers";
import { CommandLine } from "../parts/CommandLine";
import { grouped } from "../parts/text";
import { useTitle } from "../parts/useTitle";
import { useMay, useMe } from "../session/queries";

type Today = Told<"Today">;
type Section = Told<"Section">;

// Where all of a list is shown.
const ALL: Record<string, string> = {
  waits: "/waiting",
  alerts: "/headroom/alerts",
  findings: "/findings",
  names: "/names",
  fills: "/headroom",
  changes: "/ledger",
  subscriptions: "/set-up/subscriptions",
  people: "/set-up/people",
  realms: "/set-up/realms",
};

export function TodayPage() {
  useTitle("Today");
  const me = useMe().data!;
  const asks = useMay("requester");
  const planner = useMay("planner");
  const today = useQuery({ queryKey: ["today"], queryFn: ({ signal }) => call<Today>("GET", "today", { signal }), refetchInterval: 60_000 });
  return (
    <Stack sx={{ gap: 2.5 }}>
      <Stack direction="row" sx={{ alignItems: "center", justifyContent: "space-between", flexWrap: "wrap", gap: 1.5 }}>
        <Typography variant="h1">Today</Typography>
        <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap" }}>
          {asks && (
            <Button component={RouterLink} to="/request" variant="contained">
              Ask for a subnet
            </Button>
          )}
        </Stack>
      </Stack>
      <Shown query={today} what="what there is today">
        {(data) => (
          <>
            {data.registry_is_empty && (
              <Alert severity="info" action={planner && <Button component={RouterLink} to="/begin">Begin</Button>}>
                The registry is empty. A planner begins it, step by step or from a file.
              </Alert>
            )}
            <Box sx={{ display: "grid", gap: 2, gridTemplateColumns: { xs: "minmax(0, 1fr)", md: "repeat(2, minmax(0, 1fr))" } }}>
              {data.sections.map((section) => (
                <List key={section.name} section={section} mine={me.name} />
              ))}
            </Box>
            <Typography variant="body2" color="text.secondary">
              Lentra {data.version}
            </Typography>
          </>
        )}
      </Shown>
      <CommandLine text="lentra today" />
    </Stack>
  );
}

function List({ section, mine }: { section: Section; mine: string }) {
  const all = section.name === "requests" ? `/waiting?asker=${encodeURIComponent(mine)}` : ALL[section.name];
  return (
    <Card component="section" aria-label={section.title} sx={{ p: 2 }}>
      <Stack direction="row" sx={{ justifyContent: "space-between", alignItems: "baseline", gap: 1 }}>
        <Typography variant="h2">
          {section.title}
          {section.total > section.lines.length && (
            <Typography component="span" color="text.secondary">
              {" "}
              · {grouped(section.total)}
            </Typography>
          )}
        </Typography>
        {all && section.lines.length > 0 && (
          <Link component={RouterLink} to={all} aria-label={`All of ${section.title}`}>
            All
          </Link>
        )}
      </Stack>
      {section.lines.length === 0 ? (
        <Typography color="text.secondary" sx={{ mt: 1 }}>
          {section.empty}
        </Typography>
      ) : (
        <Stack component="ul" sx={{ listStyle: "none", p: 0, m: 0, mt: 1, gap: 0.75 }}>
          {section.lines.map((line, n) => (
            <Box component="li" key={n} sx={{ overflowWrap: "anywhere" }}>
              <Place line={line} />
              {line.note && (
                <Typography variant="body2" color="text.secondary">
                  {line.note}
                </Typography>
              )}
            </Box>
          ))}
        </Stack>
      )}
    </Card>
  );
}

function Place({ line }: { line: Section["lines"][number] }) {
  const to = line.kind === "like" ? `/request?like=${line.id}` : line.kind && line.id ? placeOf(line.kind, line.id) : null;
  return to ? (
    <Link component={RouterLink} to={to}>
      {line.text}
    </Link>
  ) : (
    <span>{line.text}</span>
  );
}
