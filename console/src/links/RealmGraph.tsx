// Realms as a graph: a line for each link, a broken one where others in between let two realms meet, and how much clashes.
import { useTheme } from "@mui/material/styles";
import { useRef } from "react";
import { useNavigate } from "react-router";
import { SavePicture } from "../parts/SavePicture";
import { grouped } from "../parts/text";
import { useWidth } from "../parts/useWidth";
import type { Graph } from "./queries";

const BOX = { width: 150, height: 46 };

export function RealmGraph({ graph }: { graph: Graph }) {
  const { vars } = useTheme();
  const navigate = useNavigate();
  const frame = useRef<HTMLDivElement>(null);
  const { ref, width } = useWidth<HTMLDivElement>();
  const ink = vars?.palette.text.primary ?? "currentColor";
  const bad = vars?.palette.error.main ?? "red";
  const wide = Math.max(width, 320, graph.realms.length * 60);
  const place = placesOf(graph, wide);
  const high = Math.max(...Object.values(place).map((at) => at.y), 0) + BOX.height / 2 + 6;
  const joined = graph.links.map((link) => ({ ...link, clashes: graph.meetings.find((met) => same(met, link))?.clashes ?? 0 }));
  const through = graph.meetings.filter((met) => !met.linked).map((met) => ({ ...met, id: 0, name: "", kind: "by others" }));
  return (
    <div ref={frame}>
      <div ref={ref} style={{ overflowX: "auto" }} tabIndex={0} role="group" aria-label="Realms and their links as a picture">
        <svg role="img" aria-label={`${graph.realms.length} realms, ${graph.links.length} links; the links are listed below`} width={wide} height={high} fontSize="12" fill={ink} style={{ display: "block" }}>
          {[...through, ...joined].map((line, n) => {
            const [a, b] = [place[line.one], place[line.other]];
            if (!a || !b) return null;
            const label = [line.name || "meet by others", line.clashes ? `${grouped(line.clashes)} clashes` : ""].filter(Boolean).join(" · ");
            const [x, y] = [(a.x + b.x) / 2, (a.y + b.y) / 2];
            return (
              <g key={n} onClick={() => line.id && navigate(`/set-up/links/${line.id}`)} style={{ cursor: line.id ? "pointer" : "default" }}>
                <line x1={a.x} y1={a.y} x2={b.x} y2={b.y} stroke={line.clashes ? bad : ink} strokeWidth={line.clashes ? 2.5 : 1.5} strokeDasharray={line.id ? "none" : "5 5"} strokeOpacity={line.id ? 1 : 0.6} />
                <rect x={x - label.length * 3.4 - 5} y={y - 10} width={label.length * 6.8 + 10} height={19} rx="4" fill={vars?.palette.background.paper ?? "white"} />
                <text x={x} y={y + 4} textAnchor="middle" fill={line.clashes ? bad : ink}>
                  {label}
                </text>
              </g>
            );
          })}
          {graph.realms.map((realm) => {
            const at = place[realm.name]!;
            return (
              <g key={realm.id} transform={`translate(${at.x - BOX.width / 2} ${at.y - BOX.height / 2})`} onClick={() => navigate(`/set-up/realms/${realm.id}`)} style={{ cursor: "pointer" }}>
                <rect width={BOX.width} height={BOX.height} rx="6" fill={vars?.palette.background.default ?? "white"} stroke={realm.clashes ? bad : ink} strokeWidth={realm.clashes ? 2 : 1} />
                <text x={BOX.width / 2} y={19} textAnchor="middle" fontWeight="650">
                  {realm.name.length > 20 ? `${realm.name.slice(0, 19)}…` : realm.name}
                </text>
                <text x={BOX.width / 2} y={36} textAnchor="middle" fontSize="11.5">
                  {grouped(realm.pools)} {realm.pools === 1 ? "pool" : "pools"}
                  {realm.clashes > 0 ? `, ${grouped(realm.clashes)} clashes` : ""}
                </text>
              </g>
            );
          })}
        </svg>
      </div>
      <SavePicture within={frame} name="realms" />
    </div>
  );
}

function same(a: { one: string; other: string }, b: { one: string; other: string }): boolean {
  return (a.one === b.one && a.other === b.other) || (a.one === b.other && a.other === b.one);
}

/** Those that something joins lie on an ellipse, in the order in which they are joined; the others in a row below. */
function placesOf(graph: Graph, wide: number): Record<string, { x: number; y: number }> {
  const lines = [...graph.links, ...graph.meetings];
  const alone = graph.realms.filter((realm) => !lines.some((line) => line.one === realm.name || line.other === realm.name));
  const names: string[] = [];
  const reach = (name: string) => {
    if (names.includes(name)) return;
    names.push(name);
    lines.filter((line) => line.one === name || line.other === name).forEach((line) => reach(line.one === name ? line.other : line.one));
  };
  graph.realms.filter((realm) => !alone.includes(realm)).forEach((realm) => reach(realm.name));
  const narrow = wide < 560;
  const tall = narrow ? 90 * names.length : names.length > 2 ? Math.min(90 + 30 * names.length, 340) : 0; // two lie beside each other
  const found: Record<string, { x: number; y: number }> = {};
  names.forEach((name, n) => {
    const turn = (2 * Math.PI * n) / names.length + (narrow ? -Math.PI / 2 : Math.PI);
    const across = Math.min((wide - BOX.width) / 2 - 8, 420);
    found[name] = { x: wide / 2 + across * Math.cos(turn), y: BOX.height / 2 + 6 + (tall / 2) * (1 + Math.sin(turn)) };
  });
  alone.forEach((realm, n) => {
    found[realm.name] = { x: ((n + 0.5) * wide) / alone.length, y: (names.length ? tall + 2 * BOX.height : 0) + BOX.height / 2 + 6 };
  });
  return found;
}
