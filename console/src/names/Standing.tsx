// How it goes with a DNS zone: in words, with a mark that is told apart without colours.
import Chip from "@mui/material/Chip";
import { standing, type DnsZone } from "./queries";

const LOOKS = { good: "success", warn: "warning", bad: "error", plain: "default" } as const;

export function Standing({ zone }: { zone: DnsZone }) {
  const { words, state } = standing(zone);
  return <Chip size="small" variant="outlined" color={LOOKS[state]} label={words} />;
}
