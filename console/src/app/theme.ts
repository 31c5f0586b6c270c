// Lentra's own look: harbour ink and teal on chart paper, with a lamp's amber for what needs an eye.
import { createTheme } from "@mui/material/styles";

const shape = { borderRadius: 6 };
const typography = {
  fontFamily: "'Figtree Variable', system-ui, sans-serif",
  h1: { fontSize: "1.75rem", fontWeight: 650, letterSpacing: "-0.01em" },
  h2: { fontSize: "1.2rem", fontWeight: 650 },
  h3: { fontSize: "1rem", fontWeight: 650 },
  button: { textTransform: "none" as const, fontWeight: 600 },
};

export const MONO = "ui-monospace, 'DejaVu Sans Mono', 'Cascadia Mono', Menlo, monospace";

export const theme = createTheme({
  cssVariables: { colorSchemeSelector: "data-scheme" },
  shape,
  typography,
  colorSchemes: {
    light: {
      palette: {
        primary: { main: "#12566b" },
        secondary: { main: "#8a4b14" },
        success: { main: "#1f6b4a" },
        warning: { main: "#8f5a00" },
        error: { main: "#a8321f" },
        background: { default: "#f4f1ea", paper: "#fffdf9" },
        text: { primary: "#16262c", secondary: "#4a5b61" },
        divider: "#d9d3c5",
      },
    },
    dark: {
      palette: {
        primary: { main: "#7cc4cf" },
        secondary: { main: "#f3b562" },
        success: { main: "#7fc9a0" },
        warning: { main: "#f3b562" },
        error: { main: "#f2917e" },
        background: { default: "#0e1a1f", paper: "#15252b" },
        text: { primary: "#e8efee", secondary: "#a9babd" },
        divider: "#2b4047",
      },
    },
  },
  components: {
    MuiPaper: { defaultProps: { elevation: 0 }, styleOverrides: { root: { backgroundImage: "none" } } },
    MuiCard: { styleOverrides: { root: ({ theme }) => ({ border: `1px solid ${theme.vars.palette.divider}` }) } },
    MuiTableCell: { styleOverrides: { head: { fontWeight: 650, whiteSpace: "nowrap" } } },
    MuiTextField: { defaultProps: { size: "small" } },
    MuiToggleButton: { styleOverrides: { root: ({ theme }) => ({ color: theme.vars.palette.text.secondary }) } },
    MuiButton: { defaultProps: { disableElevation: true } },
    MuiLink: { defaultProps: { underline: "always" } },
  },
});
