// How states of space look: each has a colour and a pattern of its own, so that colour is never needed.
import Box from "@mui/material/Box";
import Chip from "@mui/material/Chip";
import { useTheme } from "@mui/material/styles";

export const STATES = ["free", "handed out", "held", "room", "reserved", "cooling", "kept out", "carved", "mixed", "outside"] as const;
export type SpaceState = (typeof STATES)[number];

/** What is drawn on the ground of a pattern. */
export type Mark = "none" | "solid" | "rising" | "falling" | "dots" | "cross" | "lines" | "waves" | "rings";

interface Look {
  light: [string, string];
  dark: [string, string];
  pattern: Mark;
}

// [ground, ink] for each colour scheme
const LOOKS: Record<SpaceState, Look> = {
  free: { light: ["#f1f7d3", "#93ab3c"], dark: ["#2c3517", "#a9c355"], pattern: "rings" },
  "handed out": { light: ["#2a7a8c", "#1d6374"], dark: ["#4c9fae", "#2f7d8d"], pattern: "solid" },
  held: { light: ["#f6e3bf", "#8f5a00"], dark: ["#5b451d", "#f3b562"], pattern: "dots" },
  room: { light: ["#d9ebe8", "#2a7a8c"], dark: ["#1d3b40", "#7cc4cf"], pattern: "dots" },
  reserved: { light: ["#e3dcf0", "#5d4a8a"], dark: ["#372f52", "#b7a5e6"], pattern: "lines" },
  cooling: { light: ["#dfe8ef", "#4d7396"], dark: ["#22374a", "#8db4d8"], pattern: "rising" },
  "kept out": { light: ["#ecdad3", "#a8321f"], dark: ["#47281f", "#f2917e"], pattern: "cross" },
  carved: { light: ["#dcead7", "#3f6d3a"], dark: ["#233d24", "#92c98b"], pattern: "waves" },
  mixed: { light: ["#c9d8d8", "#2a7a8c"], dark: ["#29454b", "#7cc4cf"], pattern: "falling" },
  outside: { light: ["#eceae4", "#eceae4"], dark: ["#101a1e", "#101a1e"], pattern: "none" },
};

export function patternId(state: string): string {
  return `state-${state.replace(" ", "-")}`;
}

/** One pattern: a ground with marks in ink. */
export function Pattern({ id, ground, ink, mark }: { id: string; ground: string; ink: string; mark: Mark }) {
  return (
    <pattern id={id} width="8" height="8" patternUnits="userSpaceOnUse">
      <rect width="8" height="8" fill={ground} />
      {mark === "rising" && <path d="M-2 10 10 -2M-2 2 2 -2M6 10 10 6" stroke={ink} strokeWidth="1.6" />}
      {mark === "falling" && <path d="M-2 -2 10 10M6 -2 10 2M-2 6 2 10" stroke={ink} strokeWidth="1.6" />}
      {mark === "cross" && <path d="M0 0 8 8M8 0 0 8" stroke={ink} strokeWidth="1.1" />}
      {mark === "dots" && <circle cx="4" cy="4" r="1.4" fill={ink} />}
      {mark === "rings" && <circle cx="4" cy="4" r="1.5" fill="none" stroke={ink} strokeWidth="0.9" />}
      {mark === "lines" && <path d="M0 2H8M0 6H8" stroke={ink} strokeWidth="1.3" />}
      {mark === "waves" && <path d="M4 0V8" stroke={ink} strokeWidth="1.1" />}
    </pattern>
  );
}

/** The patterns, to be put once into each drawing. */
export function StatePatterns() {
  const dark = useDark();
  return (
    <defs>
      {STATES.map((state) => {
        const look = LOOKS[state];
        const [ground, ink] = dark ? look.dark : look.light;
        return (
          <Pattern key={state} id={patternId(state)} ground={ground} ink={ink} mark={look.pattern} />
        );
      })}
    </defs>
  );
}

/** Colour of a label on a state, and of the halo that lifts it off the pattern. */
export function useLabelColours(): (state: string) => { text: string; halo: string } {
  const dark = useDark();
  return (state) => {
    const look = LOOKS[state as SpaceState] ?? LOOKS.mixed;
    const text = state === "handed out" ? (dark ? "#0b1a1e" : "#ffffff") : dark ? "#eef4f3" : "#16262c";
    return { text, halo: (dark ? look.dark : look.light)[0] };
  };
}

export function useDark(): boolean {
  const theme = useTheme();
  const scheme = typeof document === "undefined" ? "light" : document.documentElement.getAttribute("data-scheme");
  return scheme ? scheme === "dark" : theme.palette.mode === "dark";
}

/** What the patterns of states mean. */
export function Legend({ shown }: { shown: string[] }) {
  return <PatternKey label="Legend" entries={STATES.filter((state) => shown.includes(state)).map((state) => [state, patternId(state)])} />;
}

/** Words, each beside its pattern. */
export function PatternKey({ label, entries }: { label: string; entries: [string, string][] }) {
  return (
    <Box component="ul" aria-label={label} sx={{ display: "flex", flexWrap: "wrap", gap: 2, p: 0, m: 0, listStyle: "none" }}>
      {entries.map(([word, id]) => (
        <Box component="li" key={id} sx={{ display: "flex", alignItems: "center", gap: 0.75, fontSize: 13 }}>
          <svg width="22" height="14" aria-hidden="true">
            <rect x="0.5" y="0.5" width="21" height="13" fill={`url(#${id})`} stroke="currentColor" strokeOpacity="0.4" />
          </svg>
          {word}
        </Box>
      ))}
    </Box>
  );
}

/** A subnet's state in words. */
export function StateChip({ state }: { state: string }) {
  const kinds: Record<string, "success" | "warning" | "default"> = { active: "success", retiring: "warning" };
  return <Chip size="small" variant="outlined" label={state} color={kinds[state] ?? "default"} sx={state === "cooling" ? { borderStyle: "dashed" } : {}} />;
}
