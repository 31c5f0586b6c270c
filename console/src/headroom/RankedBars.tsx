// The largest users as bars, ranked.
import { useTheme } from "@mui/material/styles";
import { useRef } from "react";
import { SavePicture } from "../parts/SavePicture";
import { percent } from "../parts/text";
import { useWidth } from "../parts/useWidth";

const ROW = 24;
const NAMES = 230;
const FIGURES = 70;
const MOST = 20;

export function RankedBars({ label, rows }: { label: string; rows: { name: string; percent: number }[] }) {
  const { vars } = useTheme();
  const frame = useRef<HTMLDivElement>(null);
  const { ref, width } = useWidth<HTMLDivElement>();
  const shown = rows.slice(0, MOST);
  const most = Math.max(...shown.map((row) => row.percent), 0.001);
  const ink = vars?.palette.text.primary ?? "currentColor";
  return (
    <div ref={frame}>
      <div ref={ref}>
        <svg role="img" aria-label={`${label}; the same as a table below`} width={width} height={ROW * shown.length + 4} style={{ display: "block" }} fontSize="13" fill={ink}>
          {shown.map((row, n) => (
            <g key={n}>
              <text x={NAMES - 8} y={ROW * n + 17} textAnchor="end">
                {row.name.length > 32 ? `${row.name.slice(0, 31)}…` : row.name}
              </text>
              <rect x={NAMES} y={ROW * n + 4} width={Math.max((row.percent / most) * (width - NAMES - FIGURES), 1)} height={ROW - 8} fill={vars?.palette.primary.main ?? "teal"} />
              <text x={NAMES + (row.percent / most) * (width - NAMES - FIGURES) + 6} y={ROW * n + 17}>
                {percent(row.percent)}
              </text>
            </g>
          ))}
        </svg>
      </div>
      <SavePicture within={frame} name={label} />
    </div>
  );
}
