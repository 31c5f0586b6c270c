// A range drawn line by line, like text: each line is an equal part, so that small blocks stay visible.
import Box from "@mui/material/Box";
import Breadcrumbs from "@mui/material/Breadcrumbs";
import Link from "@mui/material/Link";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { useNavigate } from "react-router";
import { Mono } from "../parts/Mono";
import { Legend, StatePatterns, patternId, useLabelColours } from "../parts/states";
import { percent } from "../parts/text";
import { lineNames } from "./lines";
import type { Band, Picture } from "./queries";

const LINES = 8;
const WIDTH = 1000;
const HEIGHT = 30;
const GAP = 5;

export function SpacePicture({ picture, onZoom }: { picture: Picture; onZoom: (prefix: string) => void }) {
  const navigate = useNavigate();
  const coloursOf = useLabelColours();
  const [hovered, setHovered] = useState<Band | null>(null);
  const names = lineNames(picture.range, LINES);
  const lines = names.length;
  const open = (band: Band) => {
    if (band.subnet) navigate(`/subnets/${band.subnet.id}`);
    else if (band.child) navigate(`/pools/${band.child.id}`);
    else if (band.range.includes("/") && band.range !== picture.range) onZoom(band.range);
  };
  return (
    <Stack sx={{ gap: 1.5 }}>
      <Breadcrumbs aria-label="Zoom" separator="›">
        {picture.enclosing.map((prefix) => (
          <Link key={prefix} component="button" type="button" onClick={() => onZoom(prefix)}>
            <Mono>{prefix}</Mono>
          </Link>
        ))}
        <Typography color="text.primary">
          <Mono>{picture.range}</Mono>
        </Typography>
      </Breadcrumbs>
      <Box sx={{ display: "flex", gap: 1 }}>
        <Box sx={{ display: "flex", flexDirection: "column", gap: `${GAP}px`, flexShrink: 0 }}>
          {names.map((name) => (
            <Box key={name} sx={{ height: HEIGHT, display: "flex", alignItems: "center", justifyContent: "flex-end" }}>
              <Link component="button" type="button" onClick={() => onZoom(name)} aria-label={`Zoom into ${name}`} sx={{ fontSize: 13 }}>
                <Mono>{name}</Mono>
              </Link>
            </Box>
          ))}
        </Box>
        <Box
          component="svg"
          role="img"
          aria-label={`The space of ${picture.range}; the same as a table below`}
          viewBox={`0 0 ${WIDTH} ${lines * (HEIGHT + GAP) - GAP}`}
          preserveAspectRatio="none"
          sx={{ flexGrow: 1, minWidth: 0, height: lines * (HEIGHT + GAP) - GAP, display: "block" }}
          onMouseLeave={() => setHovered(null)}
        >
          <StatePatterns />
          {picture.bands.flatMap((band, n) =>
            piecesOf(band, lines).map((piece, m) => (
              <g key={`${n}-${m}`} onMouseEnter={() => setHovered(band)} onClick={() => open(band)} style={{ cursor: "pointer" }}>
                <BandPiece band={band} piece={piece} colours={coloursOf(band.state)} />
              </g>
            )),
          )}
        </Box>
      </Box>
      <Box sx={{ minHeight: 24, fontSize: 14 }} aria-live="off">
        {hovered ? <Facts band={hovered} /> : <Box sx={{ color: "text.secondary" }}>Point at a piece for its facts; choose it to open it or zoom in.</Box>}
      </Box>
      <Legend shown={[...new Set(picture.bands.map((band) => band.state))]} />
    </Stack>
  );
}

interface Piece {
  line: number;
  x: number;
  width: number;
}

/** The parts of a band, one for each line that it touches. */
function piecesOf(band: Band, lines: number): Piece[] {
  const pieces: Piece[] = [];
  let start = band.start * lines;
  const end = (band.start + band.share) * lines;
  while (start < end - 1e-12) {
    const line = Math.min(Math.floor(start + 1e-12), lines - 1);
    const stop = Math.min(end, line + 1);
    pieces.push({ line, x: (start - line) * WIDTH, width: Math.max((stop - start) * WIDTH, 2) });
    if (stop <= start) break;
    start = stop;
  }
  return pieces;
}

function BandPiece({ band, piece, colours }: { band: Band; piece: Piece; colours: { text: string; halo: string } }) {
  const y = piece.line * (HEIGHT + GAP);
  const name = band.subnet?.name ?? band.child?.name ?? (band.state === "free" ? "free" : band.state);
  const room = Math.floor(piece.width / 7.2);
  const used = band.parts ? 1 - (band.parts["free"] ?? 0) : 1;
  return (
    <>
      <rect x={piece.x} y={y} width={piece.width} height={HEIGHT} fill={`url(#${patternId(band.parts ? "free" : band.state)})`} />
      {band.parts && <rect x={piece.x} y={y + HEIGHT * (1 - used)} width={piece.width} height={HEIGHT * used} fill={`url(#${patternId("mixed")})`} />}
      <rect x={piece.x} y={y} width={piece.width} height={HEIGHT} fill="none" stroke="currentColor" strokeOpacity="0.35" strokeWidth="0.8" vectorEffect="non-scaling-stroke" />
      {room > 8 && !band.parts && (
        <text x={piece.x + 6} y={y + 19} fontSize="11.5" fill={colours.text} stroke={colours.halo} strokeWidth="4" paintOrder="stroke" style={{ pointerEvents: "none" }}>
          {name.length > room ? `${name.slice(0, room - 1)}…` : name}
        </text>
      )}
    </>
  );
}

function Facts({ band }: { band: Band }) {
  const owner = band.subnet?.name ?? band.child?.name;
  return (
    <>
      <Mono>{band.range}</Mono> · {band.state}
      {owner && <> · {owner}</>}
      {band.parts && (
        <>
          {" · "}
          {Object.entries(band.parts)
            .map(([state, share]) => `${state} ${percent(share * 100)}`)
            .join(", ")}
        </>
      )}
    </>
  );
}
