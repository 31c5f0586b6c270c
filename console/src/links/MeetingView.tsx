// Two realms that meet: their space one above the other, what clashes with the ways out, and who hands out what both have.
import Button from "@mui/material/Button";
import Card from "@mui/material/Card";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { useRef } from "react";
import { Mono } from "../parts/Mono";
import { RecordTable } from "../parts/RecordTable";
import { SavePicture } from "../parts/SavePicture";
import { grouped } from "../parts/text";
import { useWidth } from "../parts/useWidth";
import type { ClashLine, HandsOut, Meeting } from "./queries";

type Side = ClashLine["one"];

export function MeetingView({ meeting, onGive }: { meeting: Meeting; onGive?: (range: string, side: "one" | "other") => void }) {
  const { one, other } = meeting;
  const told = Object.entries(meeting.clashes).filter(([, count]) => count);
  const counts = told.map(([kind, count]) => `${grouped(count)} ${kind}`).join(", ");
  return (
    <Card component="section" aria-label={`${one.name} and ${other.name}`}>
      <Stack sx={{ p: 2, gap: 1.5 }}>
        <Typography variant="h2">
          {one.name} and {other.name}
        </Typography>
        <Typography color={meeting.clashes.living ? "error" : "text.secondary"}>
          {counts ? `Clashes: ${counts}; ${grouped(meeting.addresses)} addresses are of both.` : "Nothing clashes."}
        </Typography>
        {meeting.strips.length > 0 && <Strips meeting={meeting} />}
      </Stack>
      {meeting.lines.length > 0 && (
        <RecordTable
          label={`Clashes of ${one.name} and ${other.name}`}
          rows={meeting.lines.map((line, id) => ({ ...line, id }))}
          columns={[
            { head: "Clash", cell: (line) => line.kind },
            { head: "Where", cell: (line) => <Mono>{line.range}</Mono> },
            { head: "Addresses", right: true, cell: (line) => grouped(line.addresses) },
            { head: one.name, cell: (line) => <Has side={line.one} /> },
            { head: other.name, cell: (line) => <Has side={line.other} /> },
            {
              head: "Ways out, the cheapest first",
              cell: (line) => (
                <>
                  <strong>{line.ways[0]?.words}</strong>
                  <details>
                    <summary>{line.ways.length - 1} more</summary>
                    {line.ways.slice(1).map((way) => (
                      <div key={way.words}>{way.words}</div>
                    ))}
                  </details>
                </>
              ),
            },
          ]}
        />
      )}
      {meeting.more_lines > 0 && <Typography sx={{ p: 2 }}>{grouped(meeting.more_lines)} lines more are not shown.</Typography>}
      {meeting.shares.length > 0 && (
        <>
          <Typography variant="h3" sx={{ p: 2, pb: 0.5 }}>
            Which of them hands out what both have
          </Typography>
          <RecordTable
            label={`Who hands out what ${one.name} and ${other.name} both have`}
            rows={meeting.shares.map((share) => ({ ...share, id: share.range }))}
            columns={[
              { head: "Range", cell: (share) => <Mono>{share.range}</Mono> },
              { head: "Addresses", right: true, cell: (share) => grouped(share.addresses) },
              { head: "Handed out by", cell: (share) => <strong>{share.realm ?? "whoever keeps it"}</strong> },
              { head: "Why", cell: (share) => (share.realm ? share.why : `${share.why}: what either gives back is kept out there`) },
              { head: "", label: "Choose otherwise", cell: (share) => onGive && share.proposed && <Other share={share} meeting={meeting} onGive={onGive} /> },
            ]}
          />
        </>
      )}
      {meeting.more_shares > 0 && <Typography sx={{ p: 2 }}>{grouped(meeting.more_shares)} ranges more are not shown.</Typography>}
    </Card>
  );
}

function Other({ share, meeting, onGive }: { share: HandsOut; meeting: Meeting; onGive: (range: string, side: "one" | "other") => void }) {
  const side = share.realm === meeting.one.name ? "other" : "one";
  return (
    <Button size="small" onClick={() => onGive(share.range, side)} aria-label={`Give it to ${meeting[side].name}: ${share.range}`}>
      Give it to {meeting[side].name}
    </Button>
  );
}

function Has({ side }: { side: Side }) {
  const count = side.subnet_count;
  const more = side.range_count - 1;
  return (
    <>
      <div>
        {side.whose}
        {count === 1 ? `: ${side.subnets[0]?.name ?? ""}` : count ? `: ${grouped(count)} subnets` : ""}
        {side.zones.length > 0 && ` in ${side.zones.slice(0, 3).join(", ")}`}
      </div>
      <div>
        <Mono>{side.ranges[0]}</Mono>
        {more > 0 && ` and ${grouped(more)} more`} ({side.states.join(", ")})
      </div>
    </>
  );
}

const LABEL = 130;
const ROW = 18;
const STRIP = 2 * ROW + 34;

function Strips({ meeting }: { meeting: Meeting }) {
  const { vars } = useTheme();
  const frame = useRef<HTMLDivElement>(null);
  const { ref, width } = useWidth<HTMLDivElement>();
  const ink = vars?.palette.text.primary ?? "currentColor";
  const colours = { one: vars?.palette.primary.main ?? "teal", other: vars?.palette.secondary.main ?? "brown" };
  const wide = Math.max(width - LABEL, 260);
  return (
    <div ref={frame}>
      <div ref={ref} style={{ overflowX: "auto" }} tabIndex={0} role="group" aria-label="What both have, one above the other">
        <svg role="img" aria-label={`${meeting.one.name} above ${meeting.other.name}: what both use is marked; the same as tables below`} width={LABEL + wide} height={STRIP * meeting.strips.length} fontSize="12" fill={ink} style={{ display: "block" }}>
          {meeting.strips.map((strip, n) => {
            const cell = wide / strip.cells.length;
            return (
              <g key={strip.range} transform={`translate(0 ${n * STRIP})`}>
                <text x={LABEL} y={12} fontWeight="650">
                  {strip.range}
                </text>
                {(["one", "other"] as const).map((side, row) => (
                  <g key={side} transform={`translate(0 ${18 + row * (ROW + 2)})`}>
                    <text x={0} y={13}>
                      {meeting[side].name.length > 18 ? `${meeting[side].name.slice(0, 17)}…` : meeting[side].name}
                    </text>
                    <rect x={LABEL} width={wide} height={ROW} fill="none" stroke={ink} strokeOpacity="0.3" />
                    {strip.cells.map((one, at) => (
                      <g key={at}>
                        {one.to === side && <rect x={LABEL + at * cell} width={cell} y={ROW - 3} height={3} fill={colours[side]} fillOpacity="0.45" />}
                        {one[side] > 0 && <rect x={LABEL + at * cell} width={cell} y={ROW * (1 - one[side] / 100)} height={(ROW * one[side]) / 100} fill={colours[side]} />}
                      </g>
                    ))}
                  </g>
                ))}
                {strip.cells.map(
                  (one, at) =>
                    one.clash && (
                      <text key={at} x={LABEL + (at + 0.5) * cell} y={18 + 2 * ROW + 11} textAnchor="middle" fontSize="11" fontWeight="700" fill={vars?.palette.error.main ?? "red"}>
                        ×
                      </text>
                    ),
                )}
              </g>
            );
          })}
        </svg>
      </div>
      <Typography color="text.secondary" variant="body2">
        Filled: in use. A line at the foot: handed out there from now on. ×: both use it.
      </Typography>
      <SavePicture within={frame} name={`${meeting.one.name}-${meeting.other.name}`} />
    </div>
  );
}
