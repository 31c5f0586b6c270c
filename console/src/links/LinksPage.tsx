// How realms are joined, and what would meet if two more were.
import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import Card from "@mui/material/Card";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import Link from "@mui/material/Link";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Link as RouterLink } from "react-router";
import { ProblemAlert, Shown } from "../parts/Answers";
import { CommandLine } from "../parts/CommandLine";
import { commandLine } from "../parts/command";
import { RefSelect } from "../parts/RefSelect";
import { TextFilter } from "../parts/TextFilter";
import { useFilters } from "../parts/useFilters";
import { useTitle } from "../parts/useTitle";
import { useMay } from "../session/queries";
import { KINDS } from "../setup/kinds";
import { RecordForm } from "../setup/RecordForm";
import { MeetingView } from "./MeetingView";
import { RealmGraph } from "./RealmGraph";
import { parts, useGraph, useThoughtOf, type Thought } from "./queries";

const RANGES = ["one_shows", "other_shows", "one_gives", "other_gives"] as const;

export function LinksPage() {
  useTitle("Joined realms");
  const { filters, set } = useFilters();
  const planner = useMay("planner");
  const graph = useGraph();
  const [linking, setLinking] = useState(false);
  const of = (name: keyof Thought) => filters[name] ?? "";
  const thought: Thought = { one: of("one"), other: of("other"), one_shows: of("one_shows"), other_shows: of("other_shows"), one_gives: of("one_gives"), other_gives: of("other_gives"), passes_on: of("passes_on") };
  const met = useThoughtOf(thought);
  const ready = thought.one !== "" && thought.other !== "";
  const give = (range: string, side: "one" | "other") => set(`${side}_gives`, [...parts(thought[`${side}_gives`]), range].join(","));
  const gives = parts(thought.one_gives).length + parts(thought.other_gives).length;
  const options = Object.fromEntries(RANGES.filter((name) => thought[name]).map((name) => [name, parts(thought[name])]));
  return (
    <Stack sx={{ gap: 2 }}>
      <Typography variant="h1">Joined realms</Typography>
      <Typography color="text.secondary">
        Realms that <Link component={RouterLink} to="/set-up/links">links</Link> join must not clash. What both have in pools is handed out by one of them alone, and kept out in the other.
      </Typography>
      <Shown query={graph} what="the realms">
        {(data) => (
          <Card sx={{ p: 2 }}>
            <RealmGraph graph={data} />
          </Card>
        )}
      </Shown>
      <Typography variant="h2">What would meet</Typography>
      <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap", alignItems: "center" }}>
        <RefSelect kind="realms" label="First realm" value={thought.one} onChange={(value) => set("one", value)} />
        <RefSelect kind="realms" label="Second realm" value={thought.other} onChange={(value) => set("other", value)} />
        <TextFilter label="Seen of the first" value={thought.one_shows} onChange={(value) => set("one_shows", value)} />
        <TextFilter label="Seen of the second" value={thought.other_shows} onChange={(value) => set("other_shows", value)} />
        <FormControlLabel control={<Checkbox checked={thought.passes_on === "yes"} onChange={(event) => set("passes_on", event.target.checked ? "yes" : "")} />} label="Traffic goes on to further realms" />
        {gives > 0 && (
          <Button onClick={() => RANGES.slice(2).forEach((name) => set(name, ""))}>Divide as proposed</Button>
        )}
        {planner && ready && (
          <Button variant="contained" onClick={() => setLinking(true)}>
            Link them
          </Button>
        )}
      </Stack>
      {!ready && <Alert severity="info">Choose two realms: nothing is changed by looking.</Alert>}
      {met.error && <ProblemAlert error={met.error} />}
      {ready && met.data?.length === 0 && <Alert severity="success">Nothing would meet that does not meet already.</Alert>}
      {ready && met.data?.map((meeting) => <MeetingView key={`${meeting.one.id} ${meeting.other.id}`} meeting={meeting} {...(joins(meeting, thought) ? { onGive: orderedAs(meeting.one.name === thought.one, give) } : {})} />)}
      <CommandLine text={commandLine(["link", "preview", thought.one || "REALM", thought.other || "REALM"], { ...options, ...(thought.passes_on === "yes" ? { passes_on: true } : {}) })} />
      {linking && (
        <RecordForm
          kind={KINDS["links"]!}
          title={`Link ${thought.one} and ${thought.other}`}
          chain={[thought.one, thought.other]}
          preset={{ ...thought }}
          onClose={() => setLinking(false)}
        />
      )}
    </Stack>
  );
}

function joins(meeting: { one: { name: string }; other: { name: string } }, thought: Thought): boolean {
  return [meeting.one.name, meeting.other.name].sort().join() === [thought.one, thought.other].sort().join();
}

/** A meeting tells the realm with the lower number first; the link that is thought of may have it second. */
function orderedAs(same: boolean, give: (range: string, side: "one" | "other") => void) {
  return (range: string, side: "one" | "other") => give(range, same ? side : side === "one" ? "other" : "one");
}
