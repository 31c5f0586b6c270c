// Working out: how large, how many, how to divide, and whether a list of ranges is free.
import Card from "@mui/material/Card";
import Stack from "@mui/material/Stack";
import Tab from "@mui/material/Tab";
import Tabs from "@mui/material/Tabs";
import Typography from "@mui/material/Typography";
import { Link as RouterLink, Navigate, useParams } from "react-router";
import { useTitle } from "../parts/useTitle";
import { CheckRanges } from "./CheckRanges";
import { ClusterForm } from "./ClusterForm";
import { DivideForm } from "./DivideForm";
import { HostsForm } from "./HostsForm";
import { SeveralForm } from "./SeveralForm";
import { StillFits } from "./StillFits";

const WAYS = {
  hosts: { label: "By hosts", view: HostsForm },
  several: { label: "Several at once", view: SeveralForm },
  cluster: { label: "A cluster", view: ClusterForm },
  divide: { label: "Divide a block", view: DivideForm },
  fits: { label: "What still fits", view: StillFits },
  check: { label: "Check ranges", view: CheckRanges },
};

export function SizePage() {
  const { way = "" } = useParams();
  useTitle("Work out");
  const found = WAYS[way as keyof typeof WAYS];
  if (!found) return <Navigate to="/size/hosts" replace />;
  const View = found.view;
  return (
    <Stack sx={{ gap: 2, maxWidth: 1100 }}>
      <Typography variant="h1">Work out</Typography>
      <Tabs value={way} variant="scrollable" aria-label="What to work out" sx={{ borderBottom: 1, borderColor: "divider" }}>
        {Object.entries(WAYS).map(([key, one]) => (
          <Tab key={key} value={key} label={one.label} component={RouterLink} to={`/size/${key}`} />
        ))}
      </Tabs>
      <Card sx={{ p: 2 }}>
        <View />
      </Card>
    </Stack>
  );
}
