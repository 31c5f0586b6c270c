import Box from "@mui/material/Box";
import type { ReactNode } from "react";
import { MONO } from "../app/theme";

/** Addresses and prefixes: figures of equal width, never broken. */
export function Mono({ children }: { children: ReactNode }) {
  return (
    <Box component="span" sx={{ fontFamily: MONO, fontSize: "0.92em", whiteSpace: "nowrap" }}>
      {children}
    </Box>
  );
}
