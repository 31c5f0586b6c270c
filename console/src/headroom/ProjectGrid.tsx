// A project over zones and tiers: what it has in each, how much of it is used, and what is missing.
import Alert from "@mui/material/Alert";
import Card from "@mui/material/Card";
import Stack from "@mui/material/Stack";
import { useTheme } from "@mui/material/styles";
import { useRef } from "react";
import { useNavigate } from "react-router";
import { Shown } from "../parts/Answers";
import { CommandLine } from "../parts/CommandLine";
import { Mono } from "../parts/Mono";
import { RecordTable } from "../parts/RecordTable";
import { SavePicture } from "../parts/SavePicture";
import { grouped } from "../parts/text";
import { useFilters } from "../parts/useFilters";
import { useWidth } from "../parts/useWidth";
import { useProjectGrid, type Grid, type GridCell } from "./queries";
import { Scope } from "./Scope";

const HEAD = 26;
const TIERS = 90;
const CELL = 74;
const GAP = 6;
const INSET = 6;
const LETTER = 6.4;
const FEWEST_LETTERS = 11;
const MOST_LETTERS = 24;

export function ProjectGrid() {
  const { filters } = useFilters();
  const project = filters["project"] ?? "";
  const grid = useProjectGrid(project);
  return (
    <>
      <Stack direction="row">
        <Scope names={["project"]} />
      </Stack>
      {project === "" ? (
        <Alert severity="info">Choose a project.</Alert>
      ) : (
        <Shown query={grid} what="the project">
          {(data) => (
            <>
              {data.tiers.length === 0 ? (
                <Alert severity="info">The project has nothing yet.</Alert>
              ) : (
                <Card sx={{ p: 2 }}>
                  <GridPicture grid={data} />
                </Card>
              )}
              <Card>
                <RecordTable
                  label={`${data.project.name} over zones and tiers`}
                  rows={data.cells.map((cell) => ({ ...cell, id: `${cell.zone}/${cell.tier}` }))}
                  columns={[
                    { head: "Tier", cell: (cell) => cell.tier },
                    { head: "Zone", cell: (cell) => cell.zone },
                    { head: "Blocks", cell: (cell) => (cell.gap ? "missing" : <Mono>{[...cell.subnets.flatMap((subnet) => subnet.blocks), ...further(cell)].join(", ")}</Mono>) },
                    { head: "Room", cell: (cell) => <Mono>{cell.subnets.flatMap((subnet) => subnet.room).join(", ") || "—"}</Mono> },
                    { head: "Hosts of usable", right: true, cell: (cell) => (cell.usable === "0" ? "—" : `${grouped(cell.hosts)} of ${grouped(cell.usable)}`) },
                  ]}
                />
              </Card>
            </>
          )}
        </Shown>
      )}
      <CommandLine text={`lentra grid ${project || "PROJECT"}`} />
    </>
  );
}

// Of a cell with many subnets the first are named, and the others counted.
function further(cell: GridCell): string[] {
  const more = cell.count - cell.subnets.length;
  return more > 0 ? [`and ${grouped(more)} more subnets`] : [];
}

function GridPicture({ grid }: { grid: Grid }) {
  const { vars } = useTheme();
  const frame = useRef<HTMLDivElement>(null);
  const { ref, width } = useWidth<HTMLDivElement>();
  // No cell is too narrow to tell its first block: with many zones the picture scrolls instead.
  const letters = Math.max(FEWEST_LETTERS, ...grid.cells.map((cell) => cell.subnets[0]?.blocks[0]?.length ?? 0));
  const narrowest = Math.min(letters, MOST_LETTERS) * LETTER + 2 * INSET + GAP;
  const wide = Math.max((width - TIERS) / grid.zones.length, narrowest);
  const soft = vars?.palette.text.secondary ?? "currentColor";
  return (
    <div ref={frame}>
      <div ref={ref} style={{ overflowX: "auto" }} tabIndex={0} role="group" aria-label="Zones and tiers as a picture">
        <svg
          role="img"
          aria-label={`${grid.project.name}: zones and tiers; the same as a table below`}
          width={TIERS + wide * grid.zones.length}
          height={HEAD + (CELL + GAP) * grid.tiers.length}
          style={{ display: "block" }}
          fontSize="12"
          fill={vars?.palette.text.primary ?? "currentColor"}
        >
          {grid.zones.map((zone, n) => (
            <text key={zone} x={TIERS + n * wide + 4} y={16} fontWeight="650">
              {zone}
            </text>
          ))}
          {grid.tiers.map((tier, n) => (
            <text key={tier} x={0} y={HEAD + n * (CELL + GAP) + CELL / 2} fontWeight="650" fill={soft}>
              {tier}
            </text>
          ))}
          {grid.cells.map((cell) => (
            <CellPicture
              key={`${cell.zone}/${cell.tier}`}
              cell={cell}
              x={TIERS + grid.zones.indexOf(cell.zone) * wide}
              y={HEAD + grid.tiers.indexOf(cell.tier) * (CELL + GAP)}
              width={wide - GAP}
            />
          ))}
        </svg>
      </div>
      <SavePicture within={frame} name={`${grid.project.name}-zones-tiers`} />
    </div>
  );
}

function CellPicture({ cell, x, y, width }: { cell: GridCell; x: number; y: number; width: number }) {
  const { vars } = useTheme();
  const navigate = useNavigate();
  const ink = vars?.palette.text.primary ?? "currentColor";
  const blocks = cell.subnets.flatMap((subnet) => subnet.blocks);
  const room = cell.subnets.flatMap((subnet) => subnet.room);
  const unshown = blocks.length - 2 + cell.count - cell.subnets.length;
  const usable = Number(cell.usable);
  const share = usable ? Math.min(Number(cell.hosts) / usable, 1) : 0;
  const lines = cell.gap
    ? ["missing"]
    : [
        blocks[0] ?? "",
        blocks[1] ?? "",
        [usable ? `${grouped(cell.hosts)} of ${grouped(cell.usable)} hosts` : "", unshown > 0 ? `+${grouped(unshown)}` : ""].filter(Boolean).join(" · "),
        room.length ? `room ${room[0]}` : "",
      ].filter(Boolean);
  const most = Math.floor((width - 2 * INSET) / LETTER + 0.01);
  const only = cell.subnets[0];
  return (
    <g onClick={() => only && navigate(`/subnets/${only.id}`)} style={{ cursor: only ? "pointer" : "default" }}>
      <title>{`${cell.tier} in ${cell.zone}: ${cell.gap ? "missing" : [...blocks, ...further(cell)].join(", ")}`}</title>
      <rect x={x} y={y} width={width} height={CELL} rx="4" fill={cell.gap ? "none" : (vars?.palette.background.default ?? "white")} stroke={cell.gap ? (vars?.palette.warning.main ?? ink) : ink} strokeOpacity={cell.gap ? 1 : 0.35} strokeDasharray={cell.gap ? "5 4" : "none"} />
      {usable > 0 && <rect x={x + 1} y={y + 1} width={(width - 2) * share} height="6" fill={vars?.palette.primary.main ?? "teal"} />}
      {lines.slice(0, 4).map((line, n) => (
        <text key={n} x={x + INSET} y={y + 22 + n * 15} fontSize="11.5" fill={cell.gap ? (vars?.palette.warning.main ?? ink) : ink}>
          {line.length > most ? `${line.slice(0, most - 1)}…` : line}
        </text>
      ))}
    </g>
  );
}
