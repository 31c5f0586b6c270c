import Box from "@mui/material/Box";
import { Fragment, type ReactNode } from "react";

/** Facts about one thing, name beside value; what is empty is left out. */
export function Facts({ facts }: { facts: [string, ReactNode][] }) {
  return (
    <Box component="dl" sx={{ display: "grid", gridTemplateColumns: "auto 1fr", columnGap: 2, rowGap: 0.75, m: 0 }}>
      {facts
        .filter(([, value]) => value !== "" && value !== false && value !== null && value !== undefined)
        .map(([name, value]) => (
          <Fragment key={name}>
            <Box component="dt" sx={{ color: "text.secondary" }}>
              {name}
            </Box>
            <Box component="dd" sx={{ m: 0, overflowWrap: "anywhere" }}>
              {value}
            </Box>
          </Fragment>
        ))}
    </Box>
  );
}
