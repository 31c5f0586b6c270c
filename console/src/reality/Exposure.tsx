// The exposure that is declared beside the one that sources have seen, IPv6 first.
import Chip from "@mui/material/Chip";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import type { Told } from "../api/client";

type Seen = NonNullable<Told<"Subnet">["seen"]>;
const WORDS = { outside: "reachable from outside", outward: "outward alone", inside: "inside alone", isolated: "isolated" } as const;

export function Exposure({ seen, own }: { seen: Seen; own: boolean }) {
  return (
    <Stack sx={{ gap: 0.5 }}>
      <span>{`${seen.declared}, ${own ? "its own" : "by its tier"}`}</span>
      {seen.effective.map((one) => (
        <Stack key={one.family} direction="row" sx={{ gap: 1, alignItems: "center", flexWrap: "wrap" }}>
          <span>{`IPv${one.family} as seen: ${WORDS[one.reach]}`}</span>
          {one.differs && <Chip size="small" color={one.differs === "exposed" ? "error" : "warning"} label={one.differs.replace("-", " ")} />}
          <Typography variant="body2" color="text.secondary">
            {one.proof}
          </Typography>
        </Stack>
      ))}
    </Stack>
  );
}
