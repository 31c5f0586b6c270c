// What can be done with a subnet beyond editing it: each a form of its own.
import { commandLine } from "../parts/command";
import type { Field, Kind } from "../setup/kinds";
import type { Subnet } from "./queries";

export interface Doing {
  what: "grow" | "shrink" | "room" | "replace" | "attach" | "detach" | "confirm" | "bring-back" | "hand-over";
  title: string;
  fields: Field[];
  role: "requester" | "planner";
  fits: (subnet: Subnet) => boolean;
}

const inUse = (subnet: Subnet) => subnet.state === "active" || subnet.state === "retiring";
const single = (subnet: Subnet) => subnet.blocks.some((block) => block.total === "1");
const wide = (subnet: Subnet) => inUse(subnet) && !single(subnet);

export const DOINGS: Doing[] = [
  { what: "confirm", title: "Hand out what is held", role: "requester", fits: (subnet) => subnet.state === "held", fields: [] },
  {
    what: "grow",
    title: "Grow",
    role: "requester",
    fits: wide,
    fields: [
      { name: "length", label: "To length", kind: "number", help: "twice as wide if nothing is said" },
      { name: "hosts", label: "Or until so many hosts fit", kind: "number" },
      { name: "downward", label: "The first address may change", kind: "yes-no" },
      { name: "second", label: "Else add a second block", kind: "yes-no" },
    ],
  },
  {
    what: "shrink",
    title: "Shrink",
    role: "requester",
    fits: wide,
    fields: [
      { name: "length", label: "Keep length", kind: "number" },
      { name: "hosts", label: "Or enough for so many hosts", kind: "number" },
      { name: "keep", label: "Or this part", help: "a prefix inside the block" },
      { name: "as_room", label: "Keep the rest as room", kind: "yes-no" },
    ],
  },
  {
    what: "room",
    title: "Keep room",
    role: "requester",
    fits: wide,
    fields: [{ name: "doublings", label: "Doublings to keep free", kind: "number", needed: true, help: "0 gives the room back" }],
  },
  {
    what: "replace",
    title: "Replace",
    role: "requester",
    fits: (subnet) => subnet.state === "active",
    fields: [
      { name: "hosts", label: "Hosts", kind: "number" },
      { name: "length", label: "Or length", kind: "number" },
      { name: "pool", label: "Another pool", kind: "ref", of: "pools" },
      { name: "zone", label: "Another zone", kind: "ref", of: "zones" },
      { name: "prefix", label: "Exactly this prefix" },
      { name: "name", label: "Name", help: "leave empty for the realm's template" },
    ],
  },
  {
    what: "attach",
    title: "Attach",
    role: "requester",
    fits: (subnet) => subnet.state === "active" && single(subnet),
    fields: [
      { name: "target", label: "To what", help: "a name outside the registry, such as a balancer's" },
      { name: "record", label: "Or to an address record", help: "its address or number" },
      { name: "how", label: "How", kind: "choice", choices: ["one-to-one", "many-to-one"] },
      { name: "purpose", label: "What for", help: "needed for many-to-one" },
      { name: "move", label: "Take it away from where it is now", kind: "yes-no" },
    ],
  },
  {
    what: "bring-back",
    title: "Bring back",
    role: "requester",
    fits: (subnet) => subnet.state === "cooling",
    fields: [],
  },
  {
    what: "hand-over",
    title: "Hand over to another project",
    role: "requester",
    fits: (subnet) => subnet.state === "active" || subnet.state === "retiring",
    fields: [{ name: "project", label: "Project", kind: "ref", of: "projects", needed: true }],
  },
  { what: "detach", title: "Detach", role: "requester", fits: (subnet) => subnet.attached_to !== "", fields: [] },
];

/** The form of a doing. */
export function kindOf(doing: Doing): Kind {
  return { word: doing.what, noun: "subnet", collection: "subnets", role: doing.role, columns: [], fields: doing.fields };
}

/** The command that does the same. */
export function commandOf(doing: Doing, subnet: Subnet, values: Record<string, unknown>): string {
  const verb = doing.what === "attach" || doing.what === "detach" ? `public ${values["move"] ? "move" : doing.what}` : doing.what;
  const { move: _, target, ...more } = values;
  const said = verb === doing.what ? values : { target: target ?? (doing.what === "attach" && !more["record"] ? "TARGET" : undefined), ...more };
  const meant = Object.fromEntries(Object.entries(said).filter(([, value]) => value !== false)); // no is the usual
  return commandLine([...verb.split(" "), subnet.name], meant);
}
