// How long a pool lasts, over a window of one's choice.
import Button from "@mui/material/Button";
import Card from "@mui/material/Card";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Link as RouterLink } from "react-router";
import { Shown } from "../parts/Answers";
import { Choice } from "../parts/Choice";
import { CommandLine } from "../parts/CommandLine";
import { Families } from "./Families";
import { usePoolHeadroom } from "./queries";

export function PoolHeadroomCard({ id, name }: { id: string; name: string }) {
  const [window, setWindow] = useState("182");
  const headroom = usePoolHeadroom(id, window);
  return (
    <Card sx={{ p: 2 }}>
      <Stack direction="row" sx={{ alignItems: "center", gap: 2, mb: 1, flexWrap: "wrap" }}>
        <Typography variant="h2" sx={{ flexGrow: 1 }}>
          How long it lasts
        </Typography>
        <Button component={RouterLink} to={`/headroom/what-if?pool=${encodeURIComponent(name)}`}>
          What if…
        </Button>
        <Choice label="Trend of" value={window} choices={[["91", "3 months"], ["182", "6 months"], ["365", "a year"], ["730", "two years"]]} onChange={setWindow} width={150} />
      </Stack>
      <Shown query={headroom} what="its headroom">
        {(rows) => <Families rows={rows} name={name} />}
      </Shown>
      <CommandLine text={`lentra headroom ${name}${window === "182" ? "" : ` --window-days ${window}`}`} />
    </Card>
  );
}
