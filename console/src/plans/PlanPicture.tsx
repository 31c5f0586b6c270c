// A plan drawn: for each zone the stretch of IPv4 that it takes, with blocks, room and what is kept back.
import Box from "@mui/material/Box";
import Card from "@mui/material/Card";
import Typography from "@mui/material/Typography";
import { addressText, rangeOf, type Stretch } from "../parts/addresses";
import { Mono } from "../parts/Mono";
import { Legend, StatePatterns, patternId, useLabelColours } from "../parts/states";
import type { There } from "./queries";

interface Piece extends Stretch {
  state: string;
  label: string;
}

const STATES: Record<string, string> = { "no longer wanted": "cooling", cooling: "cooling", held: "held" };
const WIDTH = 1000;
const HEIGHT = 34;

export function PlanPicture({ there }: { there: There }) {
  const coloursOf = useLabelColours();
  const zones = zonesOf(there);
  if (zones.length === 0) return null;
  const widest = zones.map(([, pieces]) => spanOf(pieces)).reduce((a, b) => (a > b ? a : b), 1);
  return (
    <Card sx={{ p: 2 }}>
      <Typography variant="h2" gutterBottom>
        IPv4, zone by zone
      </Typography>
      <Box sx={{ display: "grid", gridTemplateColumns: "auto 1fr", columnGap: 1.5, rowGap: 0.75, alignItems: "center" }}>
        {zones.slice(0, 24).map(([zone, pieces]) => {
          const first = pieces[0]!.first;
          return (
            <Box key={zone} sx={{ display: "contents" }}>
              <Box sx={{ fontSize: 13, textAlign: "right" }}>
                {zone}
                <Box sx={{ color: "text.secondary" }}>
                  <Mono>{addressText(first)}</Mono>
                </Box>
              </Box>
              <Box
                component="svg"
                role="img"
                aria-label={`${zone}: ${pieces.map((piece) => `${piece.label} ${piece.state}`).join(", ")}`}
                viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
                preserveAspectRatio="none"
                sx={{ width: "100%", height: HEIGHT, display: "block" }}
              >
                <StatePatterns />
                {pieces.map((piece) => {
                  const x = ((piece.first - first) / widest) * WIDTH;
                  const width = Math.max(((piece.last - piece.first + 1) / widest) * WIDTH, 1.5);
                  const { text, halo } = coloursOf(piece.state);
                  return (
                    <g key={`${piece.first}-${piece.state}`}>
                      <title>{`${piece.label}: ${piece.state}`}</title>
                      <rect x={x} width={width} height={HEIGHT} fill={`url(#${patternId(piece.state)})`} stroke="currentColor" strokeOpacity="0.45" vectorEffect="non-scaling-stroke" />
                      {width > piece.label.length * 9 && (
                        <>
                          <rect x={x + 3} y={8} width={piece.label.length * 6.6 + 6} height={HEIGHT - 16} rx="2" fill={halo} />
                          <text x={x + 6} y={HEIGHT / 2 + 4} fontSize="12" fill={text}>
                            {piece.label}
                          </text>
                        </>
                      )}
                    </g>
                  );
                })}
              </Box>
            </Box>
          );
        })}
      </Box>
      {zones.length > 24 && <Typography color="text.secondary">and {zones.length - 24} zones more</Typography>}
      <Box sx={{ mt: 1.5 }}>
        <Legend shown={[...new Set(zones.flatMap(([, pieces]) => pieces.map((piece) => piece.state)))]} />
      </Box>
    </Card>
  );
}

function spanOf(pieces: Piece[]): number {
  return Math.max(...pieces.map((piece) => piece.last)) - pieces[0]!.first + 1;
}

/** Every zone's pieces in order of address; zones to come last. */
function zonesOf(there: There): [string, Piece[]][] {
  const found = new Map<string, Piece[]>();
  const add = (zone: string, text: string, state: string, label: string) => {
    const range = rangeOf(text);
    if (range) found.set(zone, [...(found.get(zone) ?? []), { ...range, state, label }]);
  };
  for (const block of there.blocks) {
    const zone = block.zone ?? "—";
    block.blocks.forEach((prefix) => add(zone, prefix, STATES[block.change] ?? "handed out", block.tier));
    block.room.forEach((prefix) => add(zone, prefix, "room", "room"));
  }
  for (const kept of there.reserving) add(kept.zone || "zones to come", kept.range, "reserved", kept.kind);
  return [...found].map(([zone, pieces]) => [zone, pieces.sort((a, b) => a.first - b.first)]);
}
