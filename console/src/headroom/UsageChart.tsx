// Use over time with the forecast as a fan and the thresholds as lines.
import Box from "@mui/material/Box";
import { useTheme } from "@mui/material/styles";
import { useRef } from "react";
import { SavePicture } from "../parts/SavePicture";
import { counted, percent } from "../parts/text";
import type { PoolHeadroom, Trend } from "./queries";

const WIDTH = 900;
const HEIGHT = 270;
const LEFT = 52;
const BOTTOM = 26;
const TOP = 22;
const DAY = 86_400_000;

/** `then` is the same pool after what is supposed, drawn beside it; each in shares of its own total. */
export function UsageChart({ headroom, then, name }: { headroom: PoolHeadroom | Trend; then?: PoolHeadroom; name: string }) {
  const { vars } = useTheme();
  const frame = useRef<HTMLDivElement>(null);
  const pool = "thresholds" in headroom ? headroom : null;
  const total = wholeOf(headroom);
  const past = headroom.readings.map((reading) => ({ day: Date.parse(reading.day), used: Number(reading.used) / total }));
  if (past.length < 2) return null;
  const fan = fanOf(headroom);
  const later = then ? fanOf(then) : [];
  const first = past[0]!.day;
  const last = Math.max(past.at(-1)!.day, fan.at(-1)?.day ?? 0, later.at(-1)?.day ?? 0);
  const x = (day: number) => LEFT + ((day - first) / Math.max(last - first, DAY)) * (WIDTH - LEFT - 8);
  const y = (share: number) => TOP + (1 - Math.min(Math.max(share, 0), 1.02)) * (HEIGHT - BOTTOM - TOP);
  const line = (points: [number, number][]) => points.map(([day, share], n) => `${n ? "L" : "M"}${x(day).toFixed(1)} ${y(share).toFixed(1)}`).join("");
  const area = (points: Fan[]) => `${line(points.map((p) => [p.day, p.high]))}L${line([...points].reverse().map((p) => [p.day, p.low])).slice(1)}Z`;
  const marks = (pool?.thresholds ?? []).map((one) => ({ share: one.percent / 100, word: one.name === "full" ? "full" : `${one.name} ${one.percent} %` }));
  const ink = vars?.palette.text.primary ?? "currentColor";
  const soft = vars?.palette.text.secondary ?? "currentColor";
  const main = vars?.palette.primary.main ?? "currentColor";
  const now = past.at(-1)!;
  const other = vars?.palette.secondary.main ?? "currentColor";
  return (
    <div ref={frame}>
      <Box
        component="svg"
        role="img"
        aria-label={`${name}, IPv${headroom.family}: ${pool ? percent(pool.used_percent) : counted(headroom.used, headroom.family)} in use now, ${past.length} readings; the figures are in the tables beside`}
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        sx={{ width: "100%", height: "auto", display: "block" }}
      >
        {[0, 0.25, 0.5, 0.75, 1].map((share) => (
          <g key={share}>
            <line x1={LEFT} x2={WIDTH - 8} y1={y(share)} y2={y(share)} stroke={soft} strokeOpacity="0.2" />
            <text x={LEFT - 8} y={y(share) + 4} fontSize="12" textAnchor="end" fill={soft}>
              {pool ? `${share * 100} %` : counted(String(BigInt(Math.round(share * total))), headroom.family)}
            </text>
          </g>
        ))}
        {yearsIn(first, last).map((day) => (
          <g key={day}>
            <line x1={x(day)} x2={x(day)} y1={TOP} y2={HEIGHT - BOTTOM} stroke={soft} strokeOpacity="0.25" />
            <text x={x(day) + 3} y={HEIGHT - 8} fontSize="12" fill={soft}>
              {new Date(day).toLocaleDateString("en-GB", { month: "short", year: "numeric", timeZone: "UTC" })}
            </text>
          </g>
        ))}
        {marks.map((mark) => (
          <g key={mark.word}>
            <line x1={LEFT} x2={WIDTH - 8} y1={y(mark.share)} y2={y(mark.share)} stroke={ink} strokeDasharray="5 4" strokeOpacity="0.7" />
            <text x={LEFT + 4} y={y(mark.share) - 4} fontSize="12" fill={ink}>
              {mark.word}
            </text>
          </g>
        ))}
        {fan.length > 0 && <path d={area(fan)} fill={main} fillOpacity="0.22" />}
        {later.length > 0 && <path d={area(later)} fill={other} fillOpacity="0.22" />}
        {later.length > 0 && (
          <>
            <path d={line(later.map((p) => [p.day, p.likely]))} fill="none" stroke={other} strokeWidth="2.4" strokeDasharray="2 3" />
            <text x={WIDTH - 12} y={y(later.at(-1)!.likely) - 6} fontSize="12" textAnchor="end" fill={other}>
              then
            </text>
            {fan.length > 0 && (
              <text x={WIDTH - 12} y={y(fan.at(-1)!.likely) - 6} fontSize="12" textAnchor="end" fill={main}>
                today
              </text>
            )}
          </>
        )}
        {fan.length > 0 && <path d={line(fan.map((p) => [p.day, p.likely]))} fill="none" stroke={main} strokeWidth="2" strokeDasharray="6 4" />}
        <path d={line(past.map((p) => [p.day, p.used]))} fill="none" stroke={main} strokeWidth="2.2" />
        <circle cx={x(now.day)} cy={y(now.used)} r="4" fill={main} />
      </Box>
      <SavePicture within={frame} name={`${name}-ipv${headroom.family}`} />
    </div>
  );
}

interface Fan {
  day: number;
  low: number;
  likely: number;
  high: number;
}

/** All there is; of a project or a zone, which have no end, the most that was ever in use or is foreseen. */
function wholeOf(headroom: PoolHeadroom | Trend): number {
  if ("total" in headroom) return Number(headroom.total);
  return Math.max(...headroom.readings.map((reading) => Number(reading.used)), ...headroom.fan.map((point) => Number(point.high)), 1);
}

function fanOf(headroom: PoolHeadroom | Trend): Fan[] {
  const total = wholeOf(headroom);
  return headroom.fan.map((point) => ({ day: Date.parse(point.day), low: Number(point.low) / total, likely: Number(point.likely) / total, high: Number(point.high) / total }));
}

/** The firsts of every third month between two days. */
function yearsIn(first: number, last: number): number[] {
  const found: number[] = [];
  const start = new Date(first);
  for (let month = start.getUTCMonth() + 1; ; month += 1) {
    const day = Date.UTC(start.getUTCFullYear(), month, 1);
    if (day > last) return found;
    if (new Date(day).getUTCMonth() % 3 === 0) found.push(day);
  }
}
