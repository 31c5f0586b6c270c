// How a realm, a project, a region or a zone grows.
import Card from "@mui/material/Card";
import Typography from "@mui/material/Typography";
import { Listed } from "../parts/Answers";
import { CommandLine } from "../parts/CommandLine";
import { Families } from "./Families";
import { useGrowth } from "./queries";

export function OwnerGrowth({ kind, name }: { kind: "realm" | "project" | "region" | "zone"; name: string }) {
  const growth = useGrowth(kind, name);
  return (
    <Card sx={{ p: 2 }}>
      <Typography variant="h2">{kind === "realm" ? `All pools of ${name} together` : `How ${kind} ${name} grows`}</Typography>
      <Listed query={growth} rows={(rows) => rows} empty="Nothing has been read yet.">
        {(rows) => <Families rows={rows} name={name} />}
      </Listed>
      <CommandLine text={`lentra headroom --grows ${kind} --${kind} ${name}`} />
    </Card>
  );
}
