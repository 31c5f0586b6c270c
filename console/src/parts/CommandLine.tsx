import CopyIcon from "@mui/icons-material/ContentCopy";
import Box from "@mui/material/Box";
import IconButton from "@mui/material/IconButton";
import { useState } from "react";
import { MONO } from "../app/theme";
import { copyText } from "./copy";

/** The command that does the same, to be copied. */
export function CommandLine({ text, label = "command" }: { text: string; label?: string }) {
  const [copied, setCopied] = useState(false);
  return (
    <Box
      sx={{ display: "flex", alignItems: "center", gap: 1, px: 1.5, py: 0.5, mt: 1, borderRadius: 1, bgcolor: "action.hover", color: "text.primary" }}
    >
      <Box component="code" tabIndex={0} sx={{ flexGrow: 1, fontFamily: MONO, fontSize: 13, overflowX: "auto", whiteSpace: "pre", py: 0.5 }}>
        {text}
      </Box>
      <IconButton
        size="small"
        aria-label={copied ? "Copied" : `Copy the ${label}`}
        onClick={() => void copyText(text).then(setCopied)}
      >
        <CopyIcon fontSize="inherit" color={copied ? "success" : "inherit"} />
      </IconButton>
    </Box>
  );
}
