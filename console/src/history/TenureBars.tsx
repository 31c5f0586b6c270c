// The past as bars over time: a lane for each prefix, a bar for as long as somebody had it and nothing about it changed.
import Box from "@mui/material/Box";
import { useTheme } from "@mui/material/styles";
import { useRef } from "react";
import { MONO } from "../app/theme";
import { SavePicture } from "../parts/SavePicture";
import { Legend, patternId, StatePatterns, useLabelColours, type SpaceState } from "../parts/states";
import { shortTime } from "../parts/text";
import type { Tenure } from "./queries";
import { useWidth } from "../parts/useWidth";
import { lanesOf, spanOf, ticksOf } from "./lanes";

const LANE = 30;
const TOP = 8;
const AXIS = 24;
const LETTER = 6.6;
const WORD = 64; // of a tick
const MOST_LANES = 20;
const NARROW = 600; // the prefixes stand above their lanes then

const LOOKS: Record<string, SpaceState> = { active: "handed out", held: "held", retiring: "mixed", cooling: "cooling" };
const KINDS: Record<string, SpaceState> = { "address record": "room", reservation: "reserved", "keep-out": "kept out" };

function lookOf(tenure: Tenure): SpaceState {
  return KINDS[tenure.kind] ?? LOOKS[tenure.state] ?? "mixed";
}

export function TenureBars({ tenures, name, now = Date.now() }: { tenures: Tenure[]; name: string; now?: number }) {
  const { vars } = useTheme();
  const labels = useLabelColours();
  const frame = useRef<HTMLDivElement>(null);
  const { ref: measured, width } = useWidth<HTMLDivElement>();
  const lanes = lanesOf(tenures);
  if (!lanes.length) return null;
  const shown = lanes.slice(0, MOST_LANES);
  const [first, last] = spanOf(tenures, now);
  const left = width < NARROW ? 0 : Math.max(...shown.map((lane) => lane.prefix.length)) * LETTER * 1.12 + 14;
  const x = (moment: number) => left + ((moment - first) / (last - first)) * (width - left - 6);
  const soft = vars?.palette.text.secondary ?? "currentColor";
  const ink = vars?.palette.text.primary ?? "currentColor";
  const above = left ? 0 : 14;
  const height = TOP + shown.length * (LANE + above) + AXIS;
  return (
    <div ref={frame}>
      <Box ref={measured}>
        <Box component="svg" role="img" aria-label={`The past of ${name} as bars over time; the table below tells the same`} viewBox={`0 0 ${width} ${height}`} sx={{ width: "100%", height, display: "block" }}>
          <StatePatterns />
          {ticksOf(first, last, width - left).map((tick) => (
            <g key={tick.at}>
              <line x1={x(tick.at)} x2={x(tick.at)} y1={TOP} y2={height - AXIS + 4} stroke={soft} strokeOpacity="0.25" />
              {x(tick.at) + WORD < width && (
                <text x={x(tick.at) + 3} y={height - 7} fontSize="12" fill={soft}>
                  {tick.word}
                </text>
              )}
            </g>
          ))}
          {shown.map((lane, n) => {
            const y = TOP + n * (LANE + above) + above;
            return (
              <g key={lane.key}>
                <text x={0} y={left ? y + LANE / 2 + 1 : y - 2} fontSize="12" fontFamily={MONO} fill={ink}>
                  {lane.prefix}
                </text>
                {lane.tenures.map((tenure) => {
                  const [begin, end] = [x(Date.parse(tenure.begins)), x(Math.min(tenure.ends ? Date.parse(tenure.ends) : now, last))];
                  const look = lookOf(tenure);
                  const { text, halo } = labels(look);
                  const long = Math.max(end - begin, 2);
                  const letters = Math.floor((long - 10) / LETTER);
                  return (
                    <g key={`${tenure.record} ${tenure.begins}`}>
                      <title>{`${tenure.name}, ${tenure.state}: ${shortTime(tenure.begins)} to ${tenure.ends ? shortTime(tenure.ends) : "now"}`}</title>
                      <rect x={begin} y={y + 3} width={long} height={LANE - 8} rx="3" fill={`url(#${patternId(look)})`} stroke={ink} strokeOpacity="0.45" strokeDasharray={tenure.state === "held" ? "4 3" : undefined} />
                      {letters > 3 && (
                        <text x={begin + 6} y={y + LANE / 2 + 3} fontSize="12" fill={text} stroke={halo} strokeWidth="3" paintOrder="stroke">
                          {tenure.name.length > letters ? `${tenure.name.slice(0, letters - 1)}…` : tenure.name}
                        </text>
                      )}
                    </g>
                  );
                })}
              </g>
            );
          })}
          <line x1={x(now)} x2={x(now)} y1={TOP} y2={height - AXIS + 4} stroke={vars?.palette.secondary.main ?? "currentColor"} strokeWidth="1.6" />
        </Box>
      </Box>
      <Box sx={{ display: "flex", flexWrap: "wrap", gap: 2, alignItems: "center", pt: 1 }}>
        <Legend shown={[...new Set(tenures.map(lookOf))]} />
        <Box component="span" sx={{ fontSize: 13, color: "text.secondary" }}>
          {lanes.length > shown.length ? `the first ${shown.length} of ${lanes.length} prefixes; ` : ""}the line is now
        </Box>
        <SavePicture within={frame} name={`past-${name.replaceAll("/", "-")}`} />
      </Box>
    </div>
  );
}
