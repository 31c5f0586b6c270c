import Box from "@mui/material/Box";
import type { Told } from "../api/client";
import { STATES, StatePatterns, patternId } from "./states";
import { percent } from "./text";

export type Usage = Told<"Usage">;

/** A pool's shares by state as one bar; thresholds as marks. */
export function UsageBar({ usage, warning, critical, name }: { usage: Usage; warning: number; critical: number; name: string }) {
  let at = 0;
  const parts = STATES.filter((state) => state !== "free" && (usage.percent[state] ?? 0) > 0).map((state) => {
    const part = { state, start: at, share: usage.percent[state]! };
    at += part.share;
    return part;
  });
  const worth = usage.used_percent >= critical ? "critical" : usage.used_percent >= warning ? "warning" : "";
  return (
    <Box sx={{ display: "flex", alignItems: "center", gap: 1, minWidth: 220 }}>
      <Box
        component="svg"
        role="img"
        aria-label={`${name}, IPv${usage.family}: ${percent(usage.used_percent)} in use`}
        viewBox="0 0 200 16"
        preserveAspectRatio="none"
        sx={{ width: 170, height: 16, flexShrink: 0 }}
      >
        <StatePatterns />
        <rect x="0.5" y="0.5" width="199" height="15" fill={`url(#${patternId("free")})`} stroke="currentColor" strokeOpacity="0.35" />
        {parts.map((part) => (
          <rect key={part.state} x={part.start * 2} width={Math.max(part.share * 2, 1.5)} height="16" fill={`url(#${patternId(part.state)})`} />
        ))}
        {[warning, critical].map((mark) => (
          <line key={mark} x1={mark * 2} x2={mark * 2} y1="0" y2="16" stroke="currentColor" strokeOpacity="0.6" strokeDasharray="2 2" />
        ))}
      </Box>
      <Box component="span" sx={{ fontSize: 13, whiteSpace: "nowrap", color: worth === "critical" ? "error.main" : worth ? "warning.main" : "text.primary" }}>
        {percent(usage.used_percent)} {worth && `· ${worth}`}
      </Box>
    </Box>
  );
}
