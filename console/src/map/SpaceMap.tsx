// The map of space: a row for each prefix length, from the range shown down to single subnets, like soundings below a waterline.
import ArrowBackIcon from "@mui/icons-material/ArrowBack";
import ArrowForwardIcon from "@mui/icons-material/ArrowForward";
import ZoomInIcon from "@mui/icons-material/ZoomIn";
import ZoomOutIcon from "@mui/icons-material/ZoomOut";
import Box from "@mui/material/Box";
import Breadcrumbs from "@mui/material/Breadcrumbs";
import IconButton from "@mui/material/IconButton";
import Link from "@mui/material/Link";
import Stack from "@mui/material/Stack";
import { useTheme } from "@mui/material/styles";
import { useEffect, useRef, useState, type KeyboardEvent } from "react";
import { useNavigate } from "react-router";
import { Mono } from "../parts/Mono";
import { SavePicture } from "../parts/SavePicture";
import { Legend, Pattern, PatternKey, StatePatterns, patternId, useDark, useLabelColours } from "../parts/states";
import { grouped, percent } from "../parts/text";
import { useWidth } from "../parts/useWidth";
import { tintsOf, valueOf, type By, type Tint } from "./colours";
import { boxOfBranch, boxOfCell, fitting, heightOf, lengthOf, quarterAt, step, type Box as Place } from "./layout";
import type { MapBranch, MapCell, MapShown } from "./queries";

const WHEEL = 60; // how far the wheel turns for one step

/** `wheel`: the wheel zooms; elsewhere it scrolls the page, as usual. */
export function SpaceMap({ map, by, onZoom, wheel = false }: { map: MapShown; by: By; onZoom: (range: string) => void; wheel?: boolean }) {
  const navigate = useNavigate();
  const { ref, width } = useWidth<HTMLDivElement>();
  const [at, setAt] = useState<number | null>(null);
  const [hovered, setHovered] = useState<MapCell | MapBranch | null>(null);
  const tints = tintsOf(map.cells, by);
  const cursor = at === null ? null : Math.min(at, map.cells.length - 1);
  useEffect(() => setAt(null), [map.range]);
  useWheel(ref, wheel, (share, inward) => {
    const target = inward ? quarterAt(map, share) : map.wider;
    if (target && target !== map.range) onZoom(target);
  });
  const open = (cell: MapCell) => {
    if (cell.subnet) navigate(`/subnets/${cell.subnet.id}`);
    else if (cell.range !== map.range) onZoom(cell.range);
  };
  const keys: Record<string, () => void> = {
    ArrowRight: () => setAt(step(map, cursor ?? -1, 1)),
    ArrowLeft: () => setAt(step(map, cursor ?? map.cells.length, -1)),
    Home: () => setAt(0),
    End: () => setAt(map.cells.length - 1),
    Enter: () => cursor !== null && open(map.cells[cursor]!),
    "+": () => {
      const target = quarterAt(map, cursor === null ? 0.5 : map.cells[cursor]!.start);
      if (target) onZoom(target);
    },
    "-": () => map.wider && onZoom(map.wider),
    PageUp: () => map.before && onZoom(map.before),
    PageDown: () => map.after && onZoom(map.after),
  };
  const onKeyDown = (event: KeyboardEvent) => {
    const doing = keys[event.key === "=" ? "+" : event.key];
    if (!doing || event.ctrlKey || event.metaKey || event.altKey) return;
    event.preventDefault();
    doing();
  };
  const shown = hovered ?? (cursor === null ? null : map.cells[cursor]!);
  return (
    <Stack sx={{ gap: 1 }}>
      <Stack direction="row" sx={{ alignItems: "center", gap: 1, flexWrap: "wrap" }}>
        <Breadcrumbs aria-label="Zoom" separator="›" sx={{ flexGrow: 1 }}>
          <span>{map.realm.name}</span>
          {map.chain.map((pool) => (
            <Link key={pool.id} component="button" type="button" onClick={() => onZoom(pool.range)} aria-label={`Zoom to ${pool.name}, ${pool.range}`}>
              {pool.name}
            </Link>
          ))}
          <Mono>{map.range}</Mono>
        </Breadcrumbs>
        <Step label="Range before" to={map.before} onZoom={onZoom} icon={<ArrowBackIcon />} />
        <Step label="Zoom out" to={map.wider} onZoom={onZoom} icon={<ZoomOutIcon />} />
        <Step label="Zoom in" to={quarterAt(map, cursor === null ? 0 : map.cells[cursor]!.start)} onZoom={onZoom} icon={<ZoomInIcon />} />
        <Step label="Range after" to={map.after} onZoom={onZoom} icon={<ArrowForwardIcon />} />
        <SavePicture within={ref} name={`map-${map.range}`} />
      </Stack>
      <Box
        ref={ref}
        tabIndex={0}
        role="group"
        aria-label={`Map of ${map.range}: arrow keys go from piece to piece, Enter opens, plus and minus zoom; the same as a table below`}
        onKeyDown={onKeyDown}
        onMouseLeave={() => setHovered(null)}
        sx={{ "&:focus-visible": { outline: 2, outlineColor: "primary.main", outlineOffset: 2 } }}
      >
        <svg role="img" aria-label={`The space of ${map.range}`} width={width} height={heightOf(map)} style={{ display: "block" }}>
          <StatePatterns />
          <TintPatterns tints={tints} />
          <Axis map={map} width={width} />
          {map.branches.map((branch) => (
            <g key={branch.range} onMouseEnter={() => setHovered(branch)} onClick={() => branch.range !== map.range && onZoom(branch.range)} style={{ cursor: branch.range === map.range ? "default" : "zoom-in" }}>
              <BranchPiece branch={branch} box={boxOfBranch(map, branch, width)} pool={map.pools.find((pool) => pool.range === branch.range)?.name} />
            </g>
          ))}
          {map.cells.map((cell, n) => (
            <g key={cell.range} onMouseEnter={() => setHovered(cell)} onClick={() => open(cell)} style={{ cursor: "pointer" }}>
              <CellPiece cell={cell} box={boxOfCell(map, cell, width)} tint={valueOf(cell, by)} marked={n === cursor} pool={map.pools.find((pool) => pool.range === cell.range)?.name} />
            </g>
          ))}
        </svg>
      </Box>
      <Box sx={{ minHeight: 24, fontSize: 14 }} aria-live="polite">
        {shown ? <Facts piece={shown} /> : <Box sx={{ color: "text.secondary" }}>Point at a piece for its facts; choose it to open it or to zoom in.{wheel && " The wheel zooms too."}</Box>}
      </Box>
      <Legend shown={[...new Set(map.cells.filter((cell) => valueOf(cell, by) === null).map((cell) => cell.state))]} />
      {tints.size > 0 && <PatternKey label="Colours" entries={[...tints.keys()].map((value) => [value, tintId(value)])} />}
    </Stack>
  );
}

function Step({ label, to, onZoom, icon }: { label: string; to: string | null | undefined; onZoom: (range: string) => void; icon: React.ReactNode }) {
  return (
    <IconButton size="small" aria-label={label} title={to ? `${label}: ${to}` : label} disabled={!to} onClick={() => to && onZoom(to)}>
      {icon}
    </IconButton>
  );
}

/** Calls back once for so far that the wheel has turned over an element, with where it is. */
function useWheel(ref: React.RefObject<HTMLElement | null>, on: boolean, onTurn: (share: number, inward: boolean) => void) {
  const kept = useRef(onTurn);
  kept.current = onTurn;
  useEffect(() => {
    const element = ref.current;
    if (!element || !on) return;
    let turned = 0;
    const turn = (event: WheelEvent) => {
      event.preventDefault();
      turned += event.deltaY;
      if (Math.abs(turned) < WHEEL) return;
      const box = element.getBoundingClientRect();
      kept.current((event.clientX - box.left) / box.width, turned < 0);
      turned = 0;
    };
    element.addEventListener("wheel", turn, { passive: false });
    return () => element.removeEventListener("wheel", turn);
  }, [ref, on]);
}

/** The lengths of the rows. */
function Axis({ map, width }: { map: MapShown; width: number }) {
  const { vars } = useTheme();
  const soft = vars?.palette.text.secondary ?? "currentColor";
  return (
    <g fill={soft} fontSize="11.5">
      <text x="0" y="12">
        {map.range.split("/")[0]}
      </text>
      <text x={width} y="12" textAnchor="end">
        each row one bit longer: /{lengthOf(map.range)} to /{map.slot}, and what is narrower
      </text>
    </g>
  );
}

function BranchPiece({ branch, box, pool }: { branch: MapBranch; box: Place; pool: string | undefined }) {
  const { vars } = useTheme();
  const ink = vars?.palette.text.primary ?? "currentColor";
  const share = branch.used_percent / 100;
  const told = percent(branch.used_percent);
  const texts = [`${pool ? `${pool} ` : ""}${branch.range} · ${told}`, pool ?? `${branch.range}`, `/${branch.length} · ${told}`, `/${branch.length}`];
  return (
    <>
      <rect x={box.x} y={box.y} width={box.width} height={box.height - 1} fill={vars?.palette.background.paper ?? "white"} stroke={ink} strokeOpacity={pool ? 0.9 : 0.25} strokeWidth={pool ? 1.6 : 0.8} />
      <rect x={box.x + 0.5} y={box.y + box.height - 7} width={Math.max(box.width * share - 1, 0)} height="6" fill={vars?.palette.primary.main ?? "teal"} fillOpacity="0.75" />
      <text x={box.x + 5} y={box.y + 19} fontSize="12" fill={ink} fontWeight={pool ? 700 : 400} style={{ pointerEvents: "none" }}>
        {fitting(texts, box.width)}
      </text>
    </>
  );
}

function CellPiece({ cell, box, tint, marked, pool }: { cell: MapCell; box: Place; tint: string | null; marked: boolean; pool: string | undefined }) {
  const dark = useDark();
  const colours = useLabelColours()(cell.state);
  const { vars } = useTheme();
  const ink = vars?.palette.text.primary ?? "currentColor";
  const used = 1 - Number(cell.free) / Number(cell.addresses);
  const partly = cell.state === "mixed" || cell.state === "carved";
  const fill = tint === null ? `url(#${patternId(cell.state)})` : `url(#${tintId(tint)})`;
  const label = cell.subnet?.name ?? cell.child?.name ?? cell.reservation?.name ?? (pool ? `${pool}, ${cell.state}` : cell.state);
  const halo = tint === null ? colours : { text: dark ? "#eef4f3" : "#16262c", halo: dark ? "#0e1a1f" : "#fffdf9" };
  return (
    <>
      {partly && tint === null ? (
        <>
          <rect x={box.x} y={box.y} width={box.width} height={box.height} fill={`url(#${patternId("free")})`} />
          <rect x={box.x} y={box.y + box.height * (1 - used)} width={box.width} height={box.height * used} fill={fill} />
        </>
      ) : (
        <rect x={box.x} y={box.y} width={box.width} height={box.height} fill={fill} />
      )}
      <rect x={box.x} y={box.y} width={box.width} height={box.height} fill="none" stroke={ink} strokeOpacity={marked ? 1 : 0.35} strokeWidth={marked ? 3 : 0.8} />
      {[[label], [cell.range, `/${lengthOf(cell.range)}`], [tint !== null && tint !== label ? tint : ""]].map((lines, n) => (
        <text key={n} x={box.x + 5} y={box.y + 17 + 15 * n} fontSize="11.5" fill={halo.text} stroke={halo.halo} strokeWidth="3.5" paintOrder="stroke" style={{ pointerEvents: "none" }}>
          {box.height > 20 + 15 * n ? fitting(lines, box.width) : ""}
        </text>
      ))}
    </>
  );
}

function tintId(value: string): string {
  return `tint-${value.replaceAll(/[^\w]+/g, "-")}`;
}

function TintPatterns({ tints }: { tints: Map<string, Tint> }) {
  const dark = useDark();
  return (
    <defs>
      {[...tints].map(([value, tint]) => {
        const [ground, ink] = dark ? tint.dark : tint.light;
        return <Pattern key={value} id={tintId(value)} ground={ground} ink={ink} mark={tint.mark} />;
      })}
    </defs>
  );
}

/** What is known of a piece, in one line. */
function Facts({ piece }: { piece: MapCell | MapBranch }) {
  if (!("state" in piece))
    return (
      <>
        <Mono>{piece.range}</Mono> · {percent(piece.used_percent)} in use
      </>
    );
  const owners = [piece.project, piece.zone, piece.tier].filter((owner) => owner && owner !== "—").join(", ");
  const size = BigInt(piece.addresses);
  const parts = piece.sums && Object.entries(piece.sums).map(([state, n]) => `${state} ${percent(Number((BigInt(n) * 10_000n) / size) / 100)}`);
  return (
    <>
      <Mono>{piece.range}</Mono> · {piece.state === "mixed" ? `${piece.extents} pieces` : piece.state}
      {piece.subnet && ` · ${piece.subnet.name}`}
      {piece.child && ` · pool ${piece.child.name}`}
      {piece.reservation && ` · ${piece.reservation.name}`}
      {owners && ` · ${owners}`}
      {piece.why && ` · ${piece.why}`}
      {piece.usable && piece.hosts && ` · ${grouped(piece.hosts)} of ${grouped(piece.usable)} hosts`}
      {piece.since && ` · since ${piece.since.slice(0, 10)}`}
      {parts && ` · ${parts.join(", ")}`}
      {piece.pool && ` · in pool ${piece.pool.name}`}
    </>
  );
}
