// What is used of quotas: a bar for each limit, and when it will be reached.
import LinearProgress from "@mui/material/LinearProgress";
import Link from "@mui/material/Link";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { Link as RouterLink } from "react-router";
import type { Told } from "../api/client";
import { grouped } from "../parts/text";

export type Quota = Pick<Told<"Quota">, "id" | "name" | "use">;

export function QuotaBars({ quotas, named = true }: { quotas: readonly Quota[]; named?: boolean }) {
  return (
    <Stack sx={{ gap: 1.5 }}>
      {quotas.map((quota) => (
        <div key={quota.id}>
          {named && (
            <Typography variant="subtitle2" component="p">
              Quota of{" "}
              <Link component={RouterLink} to={`/set-up/quotas/${quota.id}`}>
                {quota.name}
              </Link>
            </Typography>
          )}
          <Stack sx={{ gap: 0.75, mt: 0.5 }}>
            {quota.use.map((row) => (
              <Stack key={row.what} direction="row" sx={{ alignItems: "center", gap: 1.5, flexWrap: "wrap" }}>
                <LinearProgress
                  variant="determinate"
                  color={row.left === 0 ? "error" : row.used > 0.75 * row.limit ? "warning" : "primary"}
                  value={row.limit ? Math.min(100, (100 * row.used) / row.limit) : 100}
                  aria-label={`${row.words} of ${quota.name}: ${row.used} of ${row.limit}`}
                  sx={{ width: 160, height: 8, borderRadius: 1 }}
                />
                <Typography variant="body2">
                  {grouped(row.used)} of {grouped(row.limit)} {row.words}
                  <Typography component="span" variant="body2" color="text.secondary">
                    {" · "}
                    {ahead(row)}
                  </Typography>
                </Typography>
              </Stack>
            ))}
          </Stack>
        </div>
      ))}
    </Stack>
  );
}

function ahead(row: Quota["use"][number]): string {
  if (!row.left) return "nothing left";
  return row.reached_on ? `${grouped(row.left)} left, reached about ${row.reached_on}` : `${grouped(row.left)} left, ${row.no_forecast}`;
}
