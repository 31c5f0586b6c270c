// Of a subnet that a renumbering moves: which one it is, and what becomes of it.
import Alert from "@mui/material/Alert";
import Link from "@mui/material/Link";
import { Link as RouterLink } from "react-router";
import { useRenumberings } from "./queries";

export function OnItsWay({ subnet }: { subnet: { id: number; state: string } }) {
  const found = useRenumberings({ subnet: String(subnet.id), state: "moving" }).data?.results[0];
  if (!found) return subnet.state === "retiring" ? <Alert severity="warning">Being replaced. Give it back when nothing uses it any more.</Alert> : null;
  const link = (
    <Link component={RouterLink} to={`/renumberings/${found.id}`}>
      {found.name}
    </Link>
  );
  const words = { held: <>Held until its wave of renumbering {link} begins.</>, retiring: <>Being left: renumbering {link} moves it to other addresses.</> }[subnet.state];
  return <Alert severity="info">{words ?? <>Part of renumbering {link}.</>}</Alert>;
}
