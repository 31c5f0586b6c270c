"""The kinds of set-up objects: their options, columns and filters, as the set-up commands show them."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from lentra.cli.options import read_bits


def _rules(text: str) -> dict[str, int] | None:
    """Rules of a family: ``head=1 tail=1 …`` or ``none``."""
    if text == "none":
        return None
    try:
        pairs = dict(pair.split("=", 1) for pair in text.replace(",", " ").split())
        return {name: int(value) for name, value in pairs.items()}
    except ValueError:
        raise argparse.ArgumentTypeError(
            f"{text!r} is not a list of rules: write head=1,tail=1,shortest=18,longest=28,range_shortest=8,range_longest=28"
        )


def _pairs(text: str) -> dict[str, str]:
    """Labels: ``key=value, key=value``."""
    parts = [part.strip() for part in text.split(",") if part.strip()]
    for part in parts:
        if "=" not in part:
            raise argparse.ArgumentTypeError(f"{part!r} is not a label: write key=value")
    return dict(part.split("=", 1) for part in parts)


def read_length(text: str) -> dict[str, int]:
    """``/20`` or ``20`` (IPv4), or ``6/48``."""
    family, _, length = text.rpartition("/")
    if not length.isdigit() or family not in ("", "4", "6"):
        raise argparse.ArgumentTypeError("write /20 for IPv4, 6/48 for IPv6")
    return {"family": int(family or 4), "length": int(length)}


def _secret(text: str) -> str:
    """A secret, or ``@FILE`` to read it from there: what is typed stays in a shell's history."""
    if not text.startswith("@"):
        return text
    try:
        return Path(text[1:]).read_text().strip()
    except (OSError, ValueError) as why:
        raise argparse.ArgumentTypeError(f"{text[1:]} cannot be read: {why}")


UNSET = object()


@dataclass(frozen=True)
class Option:
    """One field of a kind as an option.

    `read` is bool for a switch (--NAME or --no-NAME), list for names that may be repeated or have commas. `choices` are all
    that it can be. `empty` is what an edit sets for --no-NAME; UNSET if it cannot be empty.
    """

    name: str
    help: str = ""
    read: Callable[[str], Any] = str
    needed: bool = False
    many: bool = False
    only_add: bool = False
    choices: tuple[str, ...] = ()
    empty: Any = UNSET


@dataclass(frozen=True)
class Kind:
    """One kind of set-up object on the command line. `named`: its first argument is its name, which a template of the
    realm makes where it is not `name_needed`."""

    word: str
    collection: str
    columns: tuple[str, ...]
    options: tuple[Option, ...]
    example: str
    named: bool = True
    name_needed: bool = True
    filters: tuple[str, ...] = ()
    orders: tuple[str, ...] = ("name", "oldest", "newest")


_KEPT_FOR = (
    *("transit", "gateways", "balancers", "cluster", "management"),
    *("future zone", "future tier", "other"),
)
_SITES = ("hall", "room", "edge", "cloud", "office", "other")
_PLACEMENTS = ("snug", "low", "roomy")
_CONDITIONS = (
    *("always", "wider-than", "more-at-once", "more-in-a-month", "share-of-pool", "public-space"),
    *("beyond-quota", "pool-above-warning", "outside-hours"),
)
_ROLES = ("viewer", "requester", "planner", "admin")
_ABOUT = Option("about", "what it is for", empty="")
_PLACE = (
    Option("country", "where it is: two letters of ISO 3166-1", empty=""),
    Option("subdivision", "a code of ISO 3166-2, such as NO-46", empty=""),
    Option("city", "the city", empty=""),
    Option("postal_code", "the postal code, which others are not told", empty=""),
)
KINDS = (
    Kind(
        "realm",
        "realms",
        ("name", "private_only", "name_template", "about"),
        (
            Option("private_only", "takes private ranges alone", bool),
            Option("published", "anybody may look up its public ranges, and who runs it", bool),
            Option("operator", "who runs it, as others are told", empty=""),
            Option("operator_contact", "mail address of whoever answers for it, as others are told", empty=""),
            Option("name_template", "names of subnets, such as {project}-{zone}-{tier}-{nn}"),
            Option("name_pattern", "what given names of subnets are like, such as {project}-*", empty=""),
            Option("pool_template", "names of pools, such as {parent}-{zone}-{nn}", empty=""),
            Option("reservation_template", "names of reservations, such as {kind}-{nn}"),
            Option("plan_template", "names of plans, such as {project}-{realm}", empty=""),
            Option("address_template", "names of address records, such as {kind}-{nn}"),
            _ABOUT,
        ),
        "realm add depot --about 'the new depot' --preview",
    ),
    Kind(
        "rule-sheet",
        "rule_sheets",
        ("name", "v4", "v6", "ipv6_needs_ipv4", "tag_needed", "dhcp", "about"),
        (
            Option("v4", "head=1,tail=1,shortest=18,… or none; an edit needs those that change", _rules),
            Option("v6", "the same for IPv6", _rules),
            Option("ipv6_needs_ipv4", "IPv6 comes only beside IPv4", bool),
            Option("tag_needed", "every subnet carries a segment tag", bool),
            Option("dhcp", "DHCP ranges are allowed", bool),
            Option("workloads_min", "workloads per node, least", int),
            Option("workloads_max", "workloads per node, most", int),
            Option("workloads", "workloads per node, where nothing is said", int),
            Option("dhcp_service", "a DHCP service takes an address in each subnet", bool),
            Option("gateway", "where gateways stand, where nothing is said", choices=("none", "first", "last")),
            Option("zones", "zones that a plan should span", int, empty=None),
            Option("forbidden", "ranges that no pool may have there", list, empty=()),
            Option("hd_threshold", "HD-ratio threshold for IPv6, such as 0.94"),
            _ABOUT,
        ),
        "rule-sheet list",
    ),
    Kind(
        "region",
        "regions",
        ("name", "zones_per_project", "country", "subdivision", "city", "about"),
        (Option("zones_per_project", "how many of its zones a project may use", int, empty=None), *_PLACE, _ABOUT),
        "region add south-sound --preview",
    ),
    Kind(
        "zone",
        "zones",
        ("name", "region", "site", "physical", "city", "about"),
        (
            Option("region", "the region it is in", needed=True),
            Option("site", "what kind of site it is", empty="", choices=_SITES),
            Option("physical", "its operator's identifier", empty=""),
            *_PLACE,
            _ABOUT,
        ),
        "zone add nc-4 --region north-coast --physical skarvik-hall-c --preview",
        filters=("region", "site"),
    ),
    Kind(
        "tier",
        "tiers",
        ("name", "exposure", "host_names", "about"),
        (
            Option("exposure", "private, public or isolated", choices=("private", "public", "isolated")),
            Option(
                "host_names",
                "what its hosts are called in DNS, such as {name}-{tier}; as the DNS zone has it",
                empty="",
            ),
            _ABOUT,
        ),
        "tier add kiosk --exposure public --preview",
        filters=("exposure",),
    ),
    Kind(
        "project",
        "projects",
        ("name", "title", "environment", "home_region", "cost_centre", "labels", "contact"),
        (
            Option("title", "its name in full", empty=""),
            Option("contact", "whom to ask", empty=""),
            Option(
                "environment",
                "what it is for",
                choices=("production", "staging", "test", "development"),
            ),
            Option("home_region", "the region where it is at home", empty=None),
            Option("cost_centre", "who bears its costs", empty=""),
            Option("labels", "key=value, with commas between; replaces all", _pairs, empty=()),
        ),
        "project add lost-and-found --contact desk@ferry.example --preview",
        filters=("environment", "home_region", "label"),
    ),
    Kind(
        "pool",
        "pools",
        ("name", "realm", "ranges", "parent", "region", "zone", "project", "sheet", "cooling_days"),
        (
            Option("realm", "for a top-level pool", only_add=True),
            Option("parent", "carve it out of this pool", only_add=True),
            Option("range", "a range; may be given several times", many=True, only_add=True),
            Option("length", "find a range: /20, or 6/48", read_length, many=True, only_add=True),
            Option("placement", "where to find it: snug, low or roomy", only_add=True, choices=_PLACEMENTS),
            Option("sheet", "its rule sheet; a carved pool inherits one"),
            Option("region", "serves this region", empty=None),
            Option("zone", "serves this zone", empty=None),
            Option("project", "serves this project alone", empty=None),
            Option("origin", "own or provider", choices=("own", "provider")),
            Option("exposure", "private or public", choices=("private", "public", "isolated")),
            Option(
                "gives",
                "what is taken out of it: subnets, pools (carved), or both",
                choices=("both", "subnets", "pools"),
            ),
            Option("cooling_days", "days until a range given back is free", int),
            Option("warning_percent", "share in use at which it is to be looked at", int),
            Option("critical_percent", "share in use at which it is urgent", int),
            Option("placement_v4", "snug, low or roomy", choices=_PLACEMENTS),
            Option("placement_v6", "snug, low or roomy", choices=_PLACEMENTS),
            Option("shortest_v4", "shortest IPv4 length it hands out", int, empty=None),
            Option("longest_v4", "longest IPv4 length it hands out", int, empty=None),
            Option("unit_v6", "IPv6 is shown in this length", int),
            Option("keeps_out_seen", "free space in which something was seen is kept out (it is)", bool),
            Option("origin_as", "the AS number that announces its ranges", int, empty=None),
            Option(
                "announced_v4", "the longest IPv4 parts that are announced, such as /24", read_bits, empty=None
            ),
            Option("announced_v6", "the longest IPv6 parts that are announced", read_bits, empty=None),
            _ABOUT,
        ),
        "pool add nc-1-extra --parent north-coast --length /22 --zone nc-1 --preview",
        name_needed=False,
        filters=("realm", "region", "zone", "project", "parent", "sheet", "exposure", "origin", "gives", "top"),
    ),
    Kind(
        "keep-out",
        "keep_outs",
        ("id", "range", "realm", "kind", "reason", "source", "since", "certainty", "review_on"),
        (
            Option("realm", "in this realm", needed=True, only_add=True),
            Option("range", "a prefix or first-last", needed=True, only_add=True),
            Option("reason", "who uses it, or what forbids it", needed=True),
            Option(
                "kind",
                "what kind of use",
                choices=(
                    "on-premises",
                    "partner",
                    "provider",
                    "container-bridge",
                    "tunnel",
                    "special",
                    "linked",
                    "other",
                ),
            ),
            Option("source", "how it is known", empty=""),
            Option("since", "date, such as 2026-03-01", empty=None),
            Option("certainty", "certain, likely or unsure", choices=("certain", "likely", "unsure")),
            Option("review_on", "date on which to ask whether it still holds", empty=None),
            Option("despite_use", "over space in use, as a clash", bool, only_add=True),
        ),
        "keep-out add --realm fleet --range 10.45.0.0/16 --reason 'partner yard' --kind partner --preview",
        named=False,
        filters=("realm", "kind", "certainty", "source", "before", "review_by"),
        orders=("oldest", "newest"),
    ),
    Kind(
        "reservation",
        "reservations",
        ("name", "left", "pool", "kind", "reason", "service", "ends_at", "projects", "tiers"),
        (
            Option("pool", "out of this pool", needed=True, only_add=True),
            Option("range", "exactly this prefix or first-last", only_add=True),
            Option("length", "or find one of this length", read_bits, only_add=True),
            Option("hosts", "or one for so many hosts", int, only_add=True),
            Option("growth", "percent on top of the hosts", int, only_add=True),
            Option("family", "4 or 6", int, only_add=True),
            Option("placement", "where to find it: snug, low or roomy", only_add=True, choices=_PLACEMENTS),
            Option("reason", "what it is kept for", needed=True),
            Option("kind", "what it is kept for", choices=_KEPT_FOR),
            Option("service", "kept for this service alone", empty=""),
            Option("ends_at", "when it falls back, such as 2027-01-01T00:00:00Z", empty=None),
            Option("projects", "may draw from it", list, empty=()),
            Option("tiers", "only for these tiers", list, empty=()),
        ),
        "reservation add spare-gateways --pool mainland --length 26 --kind gateways --reason 'gateways to come' --preview",
        name_needed=False,
        filters=("realm", "pool", "plan", "project", "tier", "kind", "ending_within"),
    ),
    Kind(
        "tag-range",
        "tag_ranges",
        ("id", "first", "last", "zone", "region", "tier", "forbidden", "purpose"),
        (
            Option("first", "the lowest tag", int, needed=True),
            Option("last", "the highest tag", int, needed=True),
            Option("zone", "of this zone", empty=None),
            Option("region", "of this region and its zones; of everywhere without either", empty=None),
            Option("tier", "for this tier alone", empty=None),
            Option("forbidden", "never handed out", bool),
            Option("purpose", "what for", empty=""),
        ),
        "tag-range add --zone nc-1 --first 300 --last 399 --tier app --purpose 'landing stages' --preview",
        named=False,
        filters=("zone", "region", "tier"),
        orders=("tag", "oldest", "newest"),
    ),
    Kind(
        "tag-member",
        "tag_members",
        ("id", "subnet", "name", "kind", "tag", "outer_tag", "differs", "about"),
        (
            Option("subnet", "whose segment leads there", needed=True, only_add=True),
            Option("kind", "what it is", choices=("node", "site", "end")),
            Option("tag", "the tag it has there; the subnet's own if left out", int, empty=None),
            Option("outer_tag", "the outer tag it has there", int),
            Option("about", "what it is for", empty=""),
        ),
        "tag-member add pier-switch-1 --subnet crew-roster-ml-1-app-01 --preview",
        filters=("subnet", "kind", "differs"),
        orders=("name", "oldest", "newest"),
    ),
    Kind(
        "need",
        "planned_needs",
        ("name", "day", "count", "length", "pool", "project", "reason", "plan"),
        (
            Option("pool", "where it will be asked for", needed=True),
            Option("family", "4 or 6", int),
            Option("length", "of each block", read_bits, needed=True),
            Option("count", "how many blocks (1)", int),
            Option("day", "when, such as 2027-03-01", needed=True),
            Option("project", "who will ask", empty=None),
            Option("reason", "what for", needed=True),
        ),
        "need add new-quays --pool north-coast --length 24 --count 4 --day 2027-03-01 --reason 'quays at Vetle' --preview",
        filters=("pool", "project"),
        orders=("day", "name", "oldest", "newest"),
    ),
    Kind(
        "quota",
        "quotas",
        ("id", "name", "use", "about"),
        (
            Option("project", "whose it is", needed=True, only_add=True),
            Option("realm", "counts in this realm alone", only_add=True),
            Option("region", "counts in this region alone", only_add=True),
            Option("pool", "counts in this pool alone", only_add=True),
            Option("subnets", "how many subnets", int, empty=None),
            Option("v4_addresses", "how many IPv4 addresses", int, empty=None),
            Option("v6_units", "how many IPv6 units, each of its pool's length", int, empty=None),
            Option("public_addresses", "how many single public addresses", int, empty=None),
            Option("tags", "how many segment tags", int, empty=None),
            Option("records", "how many address records", int, empty=None),
            _ABOUT,
        ),
        "quota add --project crew-roster --pool ticket-hall --subnets 40 --v4-addresses 8192 --preview",
        named=False,
        filters=("project", "realm", "region", "pool"),
        orders=("oldest", "newest"),
    ),
    Kind(
        "rules",
        "approval_rules",
        ("place", "name", "words", "holds", "lapses_after"),
        (
            Option("when", "the condition", needed=True, choices=_CONDITIONS),
            Option("decision", "what becomes of a request that fits (waits)", choices=("waits", "granted")),
            Option("place", "the lower, the earlier it is looked at (100)", int),
            Option("limit", "of the condition: an IPv4 length, a count, a percentage", int, empty=None),
            Option("limit_v6", "an IPv6 length, of wider-than", int, empty=None),
            Option("hours", "of outside-hours, such as 'mon-fri 08:00-17:00'", empty=""),
            Option("time_zone", "that the hours are told in, such as Europe/Oslo (UTC)"),
            Option("realm", "about requests in this realm alone", empty=None),
            Option("pool", "out of this pool alone", empty=None),
            Option("project", "of this project alone", empty=None),
            Option("tier", "for this tier alone", empty=None),
            Option(
                "environment",
                "of projects of this environment alone",
                choices=("production", "staging", "test", "development"),
                empty="",
            ),
            Option("holds", "hold the space that was shown while it waits", bool),
            Option("reminds_after", "days until planners are reminded (2); 0: never", int),
            Option("lapses_after", "days until it lapses (14)", int),
            _ABOUT,
        ),
        "rules add halls-wide --when wider-than --limit 24 --pool fleet:north-coast --preview",
        filters=("realm", "pool", "project", "tier", "decision", "when"),
        orders=("place", "name", "oldest", "newest"),
    ),
    Kind(
        "subscription",
        "subscriptions",
        ("name", "endpoint", "kinds", "verbs", "realms", "projects", "paused", "sent", "taken", "outcome"),
        (
            Option("endpoint", "the address where changes are sent", needed=True),
            Option("kinds", "of these kinds of records alone, such as subnet or alert", list, empty=()),
            Option("verbs", "what was done, such as 'hand out'", list, empty=()),
            Option("realms", "of these realms alone", list, empty=()),
            Option("projects", "of these projects alone", list, empty=()),
            Option(
                "secret", "what events are signed with; one is made, and told once, if none is given", empty=""
            ),
            _ABOUT,
        ),
        "subscription add gate --endpoint https://gate.ferry.example/events --kinds subnet --projects ticketing --preview",
    ),
    Kind(
        "person",
        "people",
        ("name", "role", "full_name", "active", "email", "projects", "service_of"),
        (
            Option(
                "role",
                "what the person may do",
                needed=True,
                choices=_ROLES,
            ),
            Option("full_name", "the name in full", empty=""),
            Option("projects", "own projects", list, empty=()),
            Option("service_of", "a service account of this project: it has no password", only_add=True),
            Option("active", "may sign in", bool),
            Option("needs_second_factor", "is to sign in with a second factor", bool),
            Option("email", "where mail goes to", empty=""),
            Option("mail", "how to be told by mail", choices=("at once", "daily", "never")),
        ),
        "person list",
        filters=("role", "project", "service_of"),
    ),
    Kind(
        "source",
        "sources",
        ("name", "realm", "kind", "address", "covers", "every", "state", "seen_at", "asked_next_at", "about"),
        (
            Option("realm", "what it tells of", needed=True, only_add=True),
            Option(
                "kind",
                "a file, a host, a sweep: what it saw is sent; a name server or an inventory: it is asked",
                choices=("file", "host", "sweep", "name-server", "inventory"),
                only_add=True,
            ),
            Option("address", "where it is asked: host:port of a name server, https:// of an inventory", empty=""),
            Option("parts", "the DNS zones of a name server, the regions of an inventory", list, empty=()),
            Option("takes", "what of it is taken: ranges, addresses (both)", list, empty=()),
            Option(
                "credential",
                "a bearer token, or name:algorithm:secret of TSIG; @FILE reads it from there",
                _secret,
                empty="",
            ),
            Option("every", "asked every so many minutes", int, empty=None),
            Option("follows", "its feed of changes is followed", bool),
            Option(
                "covers", "prefixes that it would tell all of: what is not seen there is silent", list, empty=()
            ),
            Option("every_address", "it would tell every address in use there as well", bool),
            Option("good_for", "days that a sighting is good for (30)", int),
            _ABOUT,
        ),
        "source add gate-walk --realm fleet --covers 10.40.64.0/20 --preview",
        filters=("realm", "kind"),
    ),
    Kind(
        "link",
        "links",
        ("name", "one", "other", "kind", "passes_on", "since", "reason"),
        (
            Option("one", "the first realm", needed=True, only_add=True),
            Option("other", "the second realm", needed=True, only_add=True),
            Option("kind", "what it is", choices=("tunnel", "peering", "shared-router", "exchange")),
            Option(
                "one_shows", "ranges that the first realm lets be seen; everything, if left out", list, empty=()
            ),
            Option("other_shows", "ranges that the second lets be seen", list, empty=()),
            Option("one_gives", "of what both have and neither uses, what the first hands out", list),
            Option("other_gives", "the same of the second", list),
            Option("passes_on", "traffic goes on to further realms, over links that pass on as well", bool),
            Option("since", "since when it is there, or from when", empty=None),
            Option("reason", "why; over what both use it is needed", empty=""),
            _ABOUT,
        ),
        "link add yard-tunnel --one fleet --other shipyard --reason 'the docks move in spring' --preview",
        filters=("realm", "kind"),
    ),
    Kind(
        "taking-rule",
        "taking_rules",
        ("name", "realm", "source", "project", "becomes", "about"),
        (
            Option("realm", "where it holds", needed=True, only_add=True),
            Option("source", "what this source sees; any of the realm's, if left out", empty=None),
            Option("project", "in subnets of this project; in any, if left out", empty=None),
            Option("becomes", "what a stray becomes", choices=("address-record", "keep-out")),
            _ABOUT,
        ),
        "taking-rule add crew-hosts --realm fleet --project crew-roster --preview",
        filters=("realm", "source", "project"),
    ),
    Kind(
        "dns-zone",
        "dns_zones",
        ("name", "realm", "project", "range", "delegated", "servers", "host_names", "address", "about"),
        (
            Option("realm", "whose names or addresses", needed=True, only_add=True),
            Option("project", "whose names alone stand in it, if a project's", empty=None),
            Option("delegated", "others keep what stands in it: only who serves it is known here", bool),
            Option("primary", "the server where it is changed", empty=""),
            Option("contact", "mail address of whoever answers for it", empty=""),
            Option(
                "servers", "its name servers, each with addresses behind it where it lies in it", list, needed=True
            ),
            Option("ds", "data of its DS records, for the DNS zone around it", list, empty=()),
            Option("ttl", "seconds for which its records are good (3600)", int),
            Option("negative_ttl", "seconds for which it is good that there is no record (300)", int),
            Option("host_names", "what hosts are called in it, such as {name}", empty=""),
            Option("gateway_names", "what gateways are called, such as {subnet}-gateway", empty=""),
            Option("edge_names", "what the ends of IPv4 blocks are called, such as {subnet}-{edge}", empty=""),
            Option("public_names", "what attached public addresses are called, such as {name}-public", empty=""),
            Option("names_end", "when names in a subnet go", choices=("given back", "cooled")),
            Option("address", "host:port of the server that it is pushed to", empty=""),
            Option("credential", "name:algorithm:secret of TSIG; @FILE reads it from there", _secret, empty=""),
            Option("every", "held against its server every so many minutes", int, empty=None),
            _ABOUT,
        ),
        "dns-zone add boards.example --realm fleet --servers ns1.ferry.example --primary ns1.ferry.example "
        "--contact names@ferry.example --preview",
        filters=("realm", "project"),
    ),
    Kind(
        "dns-record",
        "dns_records",
        ("id", "dns_zone", "owner", "type", "data", "ttl", "about"),
        (
            Option("dns_zone", "the DNS zone that it stands in", needed=True, only_add=True),
            Option("owner", "its name there; @ for the DNS zone itself"),
            Option("type", "what it is", needed=True, choices=("CNAME", "TXT", "MX", "SRV", "CAA")),
            Option("data", "as in a zone file", needed=True),
            Option("ttl", "seconds for which it is good; as the DNS zone has it", int, empty=None),
            _ABOUT,
        ),
        "dns-record add --dns-zone fleet:ferry.example --owner _berths --type TXT --data 'see the harbour board' --preview",
        named=False,
        filters=("dns_zone", "type"),
        orders=("owner", "oldest", "newest"),
    ),
    Kind(
        "group-mapping",
        "group_mappings",
        ("id", "group", "role", "project", "about"),
        (
            Option("group", "as the single sign-on names it; * for everybody", needed=True),
            Option("role", "what belonging to it lets one do", needed=True, choices=_ROLES),
            Option("project", "and this project is one's own", empty=None),
            _ABOUT,
        ),
        "group-mapping add --group gate-team --role requester --project crew-roster --preview",
        named=False,
        filters=("role", "project"),
        orders=("oldest", "newest"),
    ),
)
