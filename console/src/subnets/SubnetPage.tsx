// One subnet: all facts, its neighbours, its history, and giving it back.
import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Card from "@mui/material/Card";
import Chip from "@mui/material/Chip";
import Link from "@mui/material/Link";
import Menu from "@mui/material/Menu";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Link as RouterLink, useNavigate, useParams } from "react-router";
import { EntryTable } from "../ledger/EntryTable";
import { pastOf } from "../history/queries";
import { Shown } from "../parts/Answers";
import { commandLine } from "../parts/command";
import { ConfirmChange } from "../parts/ConfirmChange";
import { Facts } from "../parts/Facts";
import { Mono } from "../parts/Mono";
import { RecordTable } from "../parts/RecordTable";
import { StateChip } from "../parts/states";
import { amount, grouped, shortTime, tagText } from "../parts/text";
import { OnItsWay } from "../moving/OnItsWay";
import { useTitle } from "../parts/useTitle";
import { useMay, useMe } from "../session/queries";
import { RecordForm } from "../setup/RecordForm";
import type { Kind } from "../setup/kinds";
import { AddressMap } from "./AddressMap";
import { GrowthCard } from "./GrowthCard";
import { Exposure } from "../reality/Exposure";
import { SeenCard } from "../reality/SeenCard";
import { DOINGS, commandOf, kindOf, type Doing } from "./doings";
import { act, editSubnet, release, useHistory, useNeighbours, useSubnet, type Near, type Subnet } from "./queries";

export function SubnetPage() {
  const { id = "" } = useParams();
  const subnet = useSubnet(id);
  const history = useHistory(id);
  useTitle(subnet.data?.name ?? "Subnet");
  return (
    <Stack sx={{ gap: 2.5 }}>
      <Shown query={subnet} what="the subnet">
        {(data) => <SubnetView subnet={data} />}
      </Shown>
      <Card>
        <Typography variant="h2" sx={{ p: 2, pb: 0 }}>
          History
        </Typography>
        <Shown query={history} what="its history">
          {(entries) => <EntryTable entries={entries} withName={false} />}
        </Shown>
      </Card>
    </Stack>
  );
}

function SubnetView({ subnet }: { subnet: Subnet }) {
  const own = useOwn(subnet);
  return (
    <>
      <Box>
        <Typography color="text.secondary">
          {subnet.realm.name} ›{" "}
          <Link component={RouterLink} to={`/pools/${subnet.pool.id}`}>
            {subnet.pool.name}
          </Link>{" "}
          ›
        </Typography>
        <Stack direction="row" sx={{ alignItems: "center", gap: 1.5, flexWrap: "wrap" }}>
          <Typography variant="h1">{subnet.name}</Typography>
          <StateChip state={subnet.state} />
          <Box sx={{ flexGrow: 1 }} />
          {own && (
            <Button component={RouterLink} to={`/request?like=${subnet.id}`}>
              Another like this
            </Button>
          )}
          <Actions subnet={subnet} />
        </Stack>
      </Box>
      {subnet.ends_at && (
        <Alert severity="info">
          {subnet.state === "held"
            ? `Held until ${shortTime(subnet.ends_at)}; then its range and name fall back by themselves.`
            : `Given back. Its range and name cool until ${shortTime(subnet.ends_at)}, then they are free again.`}
        </Alert>
      )}
      <OnItsWay subnet={subnet} />
      <Card>
        <RecordTable
          label="Blocks"
          rows={subnet.blocks.map((block) => ({ ...block, id: block.prefix }))}
          columns={[
            { head: "Block", cell: (block) => <Mono>{block.prefix}</Mono> },
            { head: "First", cell: (block) => <Mono>{block.first}</Mono> },
            { head: "Last", cell: (block) => <Mono>{block.last}</Mono> },
            { head: "Addresses", right: true, cell: (block) => amount(block, block.total) },
            { head: "Usable", right: true, cell: (block) => amount(block, block.usable) },
            {
              head: "",
              label: "History",
              cell: (block) => (
                <Link component={RouterLink} to={pastOf(block.prefix)} aria-label={`Who had it before: ${block.prefix}`}>
                  Who had it before
                </Link>
              ),
            },
          ]}
        />
      </Card>
      <Box sx={{ display: "grid", gridTemplateColumns: { xs: "1fr", md: "1fr 1fr" }, gap: 2.5 }}>
        <Card sx={{ p: 2 }}>
          <Typography variant="h2" gutterBottom>
            Facts
          </Typography>
          <Facts
            facts={[
              ["Project", subnet.project.name],
              ["Region", subnet.region?.name],
              ["Zone", subnet.zone?.name],
              ["Tier", subnet.tier.name],
              ["Expected hosts", subnet.hosts ? `${grouped(subnet.hosts)}${subnet.growth ? ` + ${subnet.growth} % growth` : ""}` : ""],
              ["Purpose", subnet.purpose],
              ["Notes", subnet.notes],
              [
                "Labels",
                Object.keys(subnet.labels).length > 0 ? (
                  <Stack direction="row" sx={{ gap: 0.5, flexWrap: "wrap" }}>
                    {Object.entries(subnet.labels).map(([key, value]) => (
                      <Chip key={key} size="small" label={`${key}=${value}`} />
                    ))}
                  </Stack>
                ) : (
                  ""
                ),
              ],
              ["Segment tag", subnet.tag === null ? "" : tagText(subnet)],
              ["Gateway", subnet.gateway === "none" ? "" : subnet.gateway],
              ["DHCP", subnet.dhcp.join(", ")],
              ["Excluded from DHCP", subnet.dhcp_excluded.join(", ")],
              ["DHCP service", subnet.dhcp_service],
              ["IPv6 addresses of hosts", subnet.ipv6_hosts && { slaac: "by themselves (SLAAC)", dhcpv6: "DHCPv6", both: "by themselves (SLAAC), and DHCPv6" }[subnet.ipv6_hosts]],
              ["Name servers", subnet.name_servers.join(", ")],
              ["DNS suffix", subnet.dns_suffix],
              ["Kept for", subnet.service],
              ["Exposure", subnet.seen && <Exposure key="exposure" seen={subnet.seen} own={!!subnet.exposure} />],
              ["Last seen", subnet.seen && (subnet.seen.last_seen_at ? shortTime(subnet.seen.last_seen_at) : "never")],
              ["Attached to", subnet.attached_to && `${subnet.attached_to}, since ${shortTime(subnet.attached_at!)}${subnet.attached_how ? `, ${subnet.attached_how}` : ""}${subnet.attached_for ? `: ${subnet.attached_for}` : ""}`],
              ["Room", subnet.room.length > 0 && subnet.room.map((room) => <div key={room}><Mono>{room}</Mono></div>)],
              ["Plan", subnet.plan && <Link key="plan" component={RouterLink} to={`/plans/${subnet.plan.id}`}>{`${subnet.plan.name}, ${subnet.plan_slot}`}</Link>],
              ["Replaces", subnet.replaces && <Link key="replaces" component={RouterLink} to={`/subnets/${subnet.replaces.id}`}>{subnet.replaces.name}</Link>],
              ["Drawn from", subnet.drawn_from?.name],
              ["Handed out", shortTime(subnet.created_at)],
              ["Number", subnet.id],
            ]}
          />
        </Card>
        <Card sx={{ p: 2 }}>
          <Typography variant="h2" gutterBottom>
            Neighbours
          </Typography>
          <Neighbours subnet={subnet} />
        </Card>
      </Box>
      <SeenCard subnet={subnet} />
      {subnet.blocks.some((block) => block.total !== "1") && subnet.state !== "cooling" && <AddressMap subnet={subnet} mayChange={own} />}
      {(subnet.state === "active" || subnet.state === "retiring") && <GrowthCard id={subnet.id} name={subnet.name} />}
    </>
  );
}

function Neighbours({ subnet }: { subnet: Subnet }) {
  const places = useNeighbours(String(subnet.id));
  return (
    <Shown query={places} what="what lies around">
      {(data) => (
        <Stack sx={{ gap: 1.5 }}>
          {data.map((place) => (
            <Facts
              key={place.range}
              facts={[
                ["Before", place.before ? <NearView near={place.before} /> : "nothing"],
                ["This", <Mono key="this">{place.range}</Mono>],
                ["After", place.after ? <NearView near={place.after} /> : "nothing"],
              ]}
            />
          ))}
        </Stack>
      )}
    </Shown>
  );
}

function NearView({ near }: { near: Near }) {
  return (
    <>
      <Mono>{near.range}</Mono> {near.state}
      {near.owner && (
        <>
          {", "}
          {near.id ? (
            <Link component={RouterLink} to={`/subnets/${near.id}`}>
              {near.owner}
            </Link>
          ) : (
            near.owner
          )}
        </>
      )}{" "}
      in {near.pool}
    </>
  );
}

const EDIT: Kind = {
  word: "subnet",
  noun: "subnet",
  collection: "subnets",
  role: "requester",
  columns: [],
  fields: [
    { name: "name", label: "Name", needed: true },
    { name: "purpose", label: "Purpose" },
    { name: "notes", label: "Notes", kind: "long" },
    { name: "hosts", label: "Expected hosts", kind: "number" },
    { name: "growth", label: "Growth in percent", kind: "number" },
    { name: "labels", label: "Labels", kind: "labels", help: "key=value, with commas between" },
    { name: "tag", label: "Segment tag", help: "1 to 4094, next, or none" },
    { name: "outer_tag", label: "Outer tag", kind: "number", help: "of a doubly tagged segment; 0 without one" },
    { name: "gateway", label: "Gateway", help: "none, first, last, or an address" },
    { name: "dhcp", label: "DHCP ranges", kind: "list", help: "first-last, with commas between" },
    { name: "dhcp_excluded", label: "Excluded from DHCP", kind: "list", help: "parts of those ranges" },
    { name: "dhcp_service", label: "DHCP service", help: "its address" },
    { name: "ipv6_hosts", label: "IPv6 addresses of hosts", kind: "choice", choices: ["", "slaac", "dhcpv6", "both"] },
    { name: "name_servers", label: "Name servers", kind: "refs", help: "addresses with commas between" },
    { name: "dns_suffix", label: "DNS suffix" },
    { name: "service", label: "Kept for one service alone" },
    { name: "exposure", label: "Exposure of its own", kind: "choice", choices: ["", "private", "public", "isolated"], help: "empty: that of its tier" },
  ],
};

/** Whether the person may change the subnet. */
function useOwn(subnet: Subnet): boolean {
  const me = useMe().data;
  const planner = useMay("planner");
  return planner || (me?.role === "requester" && me.projects.some((project) => project.id === subnet.project.id));
}

function Actions({ subnet }: { subnet: Subnet }) {
  const planner = useMay("planner");
  const own = useOwn(subnet);
  const navigate = useNavigate();
  const [menu, setMenu] = useState<HTMLElement | null>(null);
  const [doing, setDoing] = useState<Doing | "edit" | "release" | "at once" | null>(null);
  if (!own) return null;
  const chain = [subnet.realm.name, subnet.pool.name, subnet.name, subnet.blocks.map((block) => block.prefix).join(", ")];
  const close = () => setDoing(null);
  const choose = (next: typeof doing) => {
    setMenu(null);
    setDoing(next);
  };
  const fitting = DOINGS.filter((one) => one.fits(subnet));
  return (
    <>
      {subnet.state !== "cooling" && <Button onClick={() => setDoing("edit")}>Edit</Button>}
      {(fitting.length > 0 || planner) && (
        <Button aria-haspopup="menu" onClick={(event) => setMenu(event.currentTarget)}>
          More
        </Button>
      )}
      <Menu anchorEl={menu} open={menu !== null} onClose={() => setMenu(null)}>
        {fitting.map((one) => (
          <MenuItem key={one.what} onClick={() => choose(one)}>
            {one.title}
          </MenuItem>
        ))}
        {planner && <MenuItem onClick={() => choose("at once")}>Free at once</MenuItem>}
      </Menu>
      {subnet.state !== "cooling" && (
        <Button color="error" variant="outlined" onClick={() => setDoing("release")}>
          Give back
        </Button>
      )}
      {doing === "edit" && (
        <RecordForm
          kind={EDIT}
          record={subnet as unknown as Record<string, unknown>}
          edit={(values, how) => editSubnet(subnet, values, how)}
          command={(values) => commandLine(["edit", subnet.name], values)}
          chain={chain}
          onClose={close}
        />
      )}
      {doing !== null && typeof doing === "object" && (
        <RecordForm
          kind={kindOf(doing)}
          title={doing.title}
          add={(values, how) => act(subnet, doing.what, values, how)}
          command={(values) => commandOf(doing, subnet, values)}
          chain={chain}
          onClose={close}
          onDone={(answer) => {
            const made = (answer.result as { subnets?: { id: number }[] }).subnets;
            if (made?.[0]) navigate(`/subnets/${made[0].id}`);
          }}
        />
      )}
      {(doing === "release" || doing === "at once") && (
        <ConfirmChange
          title={doing === "release" ? "Give back" : "Free at once"}
          chain={chain}
          command={commandLine(["release", subnet.name], doing === "at once" ? { at_once: true } : {})}
          run={(how, despiteUse) => release(subnet, { at_once: doing === "at once", despite_use: despiteUse }, how)}
          insist="Give it back all the same: what is recorded in it goes with it"
          describe={(result) =>
            result.ends_at && result.state === "cooling"
              ? `Its range and name will cool until ${shortTime(result.ends_at)}.`
              : "Its range and name will be free at once."
          }
          onClose={close}
          onDone={(answer) => answer.result.state !== "cooling" && navigate(`/pools/${subnet.pool.id}`)}
        />
      )}
    </>
  );
}
