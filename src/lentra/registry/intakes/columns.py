"""What the columns of each kind of table may mean, and by which headings they are guessed."""

from __future__ import annotations

from lentra.addressing.tables import Column

_RANGE = (
    Column(
        "prefix",
        "The range, or several: prefixes, or first-last.",
        (
            "network",
            "range",
            "cidr",
            "subnet",
            "block",
            "net",
            "ip range",
            "ip network",
            "address range",
            "prefixes",
        ),
    ),
    Column(
        "address",
        "The first address of the range, where its mask has a column of its own.",
        ("network address", "ip", "ip address"),
    ),
    Column(
        "mask", "The mask of that address, or its length.", ("netmask", "subnet mask", "length", "bits", "size")
    ),
    Column(
        "first", "The first address of the range.", ("from", "start", "first address", "start address", "begin")
    ),
    Column("last", "The last address of the range.", ("to", "end", "last address", "end address")),
)
_ABOUT = Column("about", "What it is, in words.", ("description", "comment", "remarks", "note", "notes"))
_LABELS = Column("labels", "Labels, as key=value with semicolons between.", ("tags", "marks"))

SUBNETS = (
    *_RANGE,
    Column(
        "name",
        "Its name; left out, the realm's template makes one.",
        ("hostname", "label", "title", "subnet name", "network name"),
    ),
    Column("realm", "The realm that it lies in."),
    Column("pool", "The pool that it comes out of; left out, the innermost around it.", ("parent",)),
    Column("project", "Who it is for.", ("customer", "owner", "tenant", "team", "department"), needed=True),
    Column("region", "Where it is, where no zone applies.", ("country", "area")),
    Column(
        "zone",
        "The zone that it is in.",
        ("site", "location", "hall", "datacentre", "data centre", "datacenter", "availability zone", "az"),
    ),
    Column("tier", "What runs in it.", ("role", "function", "layer", "zone type"), needed=True),
    Column(
        "tag",
        "Its segment tag; next for the next free one.",
        ("vlan", "vlan id", "vid", "vlan tag", "segment", "segment tag"),
    ),
    Column("outer_tag", "The outer tag of a doubly tagged segment.", ("outer vlan", "s tag", "outer")),
    Column("gateway", "none, first, last, or an address.", ("default gateway", "gw", "router")),
    Column(
        "hosts", "How many hosts are expected.", ("host count", "number of hosts", "expected hosts", "devices")
    ),
    Column("growth", "By how much they grow, in percent.", ("growth percent",)),
    Column("room", "Doublings kept free behind it.", ("doublings of room",)),
    Column("purpose", "What it is for, in one line.", ("description", "usage", "use", "what for")),
    Column("notes", "What else is to be known.", ("comment", "comments", "remarks", "note")),
    Column("service", "The service that it is kept for alone.", ("kept for",)),
    Column("reservation", "The reservation that it is drawn from.", ("drawn from",)),
    Column(
        "dhcp",
        "The ranges that DHCP hands out of, with commas between.",
        ("dhcp range", "dhcp ranges", "dhcp scope"),
    ),
    Column("dhcp_excluded", "Parts of them that are not handed out.", ("dhcp exclusions", "excluded")),
    Column("dhcp_service", "The address of the DHCP service.", ("dhcp server",)),
    Column("ipv6_hosts", "How hosts get IPv6 addresses: slaac, dhcpv6 or both."),
    Column("name_servers", "Addresses of name servers, with commas between.", ("dns", "dns servers", "resolvers")),
    Column("dns_suffix", "The domain of its hosts.", ("domain", "dns domain")),
    Column("exposure", "private, public or isolated, where it is not that of its tier."),
    Column("state", "active, or nothing: only what is in use is brought in.", ("status",)),
    _LABELS,
)

ADDRESS_RECORDS = (
    Column("address", "The address.", ("ip", "ip address", "host address"), needed=True),
    Column(
        "name",
        "Its name; left out, the realm's template makes one.",
        ("hostname", "host", "host name", "dns name", "device"),
    ),
    Column("subnet", "The subnet that it is in; left out, the one around it.", ("network",)),
    Column("realm", "The realm that it lies in."),
    Column("kind", "host, gateway, router, balancer…", ("type",)),
    Column("mac", "Its hardware address.", ("mac address", "hardware address", "ethernet")),
    Column("secondary", "true: a further address of the host that has the name."),
    Column("purpose", "What it is for.", ("description", "comment", "use", "notes")),
)

SIGHTINGS = (  # of a survey
    *(column for column in _RANGE if column.name != "address"),
    Column("address", "A single address in use.", ("ip", "ip address", "host address", "network address")),
    Column("name", "What it is called there.", ("hostname", "host", "host name", "dns name", "device", "label")),
    *(Column(name, f"The {name} that it is in.") for name in ("zone", "region")),
    Column("project", "Whose it is, by a label.", ("owner", "team", "customer", "tenant")),
    Column("tag", "The segment tag that it has there.", ("vlan", "vlan id", "vid", "segment tag")),
    Column("gateway", "The gateway's address.", ("default gateway", "gw", "router")),
    Column("dhcp", "The ranges that DHCP hands out of.", ("dhcp range", "dhcp ranges", "dhcp scope")),
    Column("state", "active or retiring.", ("status",)),
    Column("mac", "Of an address: the hardware address.", ("mac address", "hardware address", "ethernet")),
)

KEEP_OUTS = (
    *_RANGE,
    Column("realm", "The realm that it holds in.", needed=True),
    Column("kind", "on-premises, partner, provider, container-bridge, tunnel, special, other.", ("type",)),
    Column(
        "reason", "Why it is never handed out.", ("description", "comment", "used by", "why", "notes"), needed=True
    ),
    Column("source", "Who says so.", ("told by", "reference")),
    Column("since", "Since which day.", ("date",)),
    Column("certainty", "certain, likely or unsure.", ("sure",)),
    Column("review_on", "The day on which it is asked whether it still holds.", ("review", "review day")),
)

RESERVATIONS = (
    *_RANGE,
    Column("name", "Its name; left out, the realm's template makes one."),
    Column("pool", "The pool that it is kept back in.", needed=True),
    Column(
        "kind", "transit, gateways, balancers, cluster, management, future zone, future tier, other.", ("type",)
    ),
    Column("reason", "Why it is kept back.", ("description", "comment", "why", "purpose"), needed=True),
    Column("service", "The service that it is kept for alone.", ("kept for",)),
    Column("ends_at", "When it falls back by itself.", ("until", "end date")),
    Column("projects", "Who may draw from it, with commas between.", ("project",)),
    Column("tiers", "Which tiers may draw from it, with commas between.", ("tier",)),
)

POOLS = (
    *_RANGE,
    Column("name", "Its name.", ("pool", "pool name"), needed=True),
    Column("realm", "The realm that it is in; left out, its parent's."),
    Column("parent", "The pool that it is carved out of; left out, it stands by itself.", ("carved from",)),
    Column("sheet", "Its rule sheet; left out, its parent's.", ("rule sheet", "rules")),
    Column("region", "The region that it serves alone.", ("country", "area")),
    Column("zone", "The zone that it serves alone.", ("site", "location", "hall")),
    Column("project", "The project that it serves alone.", ("owner", "customer", "team")),
    Column("origin", "own, or provider."),
    Column("exposure", "private, or public."),
    Column("gives", "subnets, pools, or both."),
    Column("cooling_days", "How long what was given back rests.", ("cooling",)),
    Column("warning_percent", "From how much use on there is a warning.", ("warning",)),
    Column("critical_percent", "From how much use on it is critical.", ("critical",)),
    Column("placement_v4", "snug, low or roomy."),
    Column("placement_v6", "snug, low or roomy."),
    Column("shortest_v4", "The shortest IPv4 length that it hands out."),
    Column("longest_v4", "The longest IPv4 length that it hands out."),
    Column("keeps_out_seen", "true or false: free space in which something was seen is kept out."),
    Column("unit_v6", "The length that its IPv6 is counted in."),
    Column("origin_as", "The AS number that announces its ranges.", ("asn", "as number", "origin")),
    Column("announced_v4", "The longest IPv4 parts that are announced."),
    Column("announced_v6", "The longest IPv6 parts that are announced."),
    _ABOUT,
)

_NAME = Column("name", "Its name.", ("id", "key", "code"), needed=True)
_PLACE = (
    Column("country", "Where it is: two letters of ISO 3166-1.", ("land", "country code")),
    Column("subdivision", "A code of ISO 3166-2.", ("state", "county", "province")),
    Column("city", "The city.", ("town",)),
    Column("postal_code", "The postal code.", ("postcode", "zip", "zip code")),
)
REGIONS = (
    _NAME,
    Column("zones_per_project", "How many of its zones a project may use.", ("zone limit",)),
    *_PLACE,
    _ABOUT,
)
ZONES = (
    _NAME,
    Column("region", "The region that it is in.", ("area",), needed=True),
    Column("site", "hall, room, edge, cloud, office, other.", ("kind", "type", "site type")),
    Column("physical", "Its operator's identifier for it.", ("physical id", "operator id")),
    *_PLACE,
    _ABOUT,
)
TIERS = (
    _NAME,
    Column("exposure", "private, public or isolated."),
    Column("host_names", "What its hosts are called in DNS."),
    _ABOUT,
)
PROJECTS = (
    _NAME,
    Column("title", "Its name in full.", ("full name", "description")),
    Column("contact", "Whom to ask.", ("email", "owner", "mail", "responsible")),
    Column("environment", "production, staging, test or development.", ("env", "stage")),
    Column("home_region", "The region that it is at home in.", ("region",)),
    Column("cost_centre", "Who pays.", ("cost center", "costs", "account")),
    _LABELS,
)

COLUMNS: dict[str, tuple[Column, ...]] = {
    "subnets": SUBNETS,
    "address records": ADDRESS_RECORDS,
    "keep-outs": KEEP_OUTS,
    "reservations": RESERVATIONS,
    "pools": POOLS,
    "projects": PROJECTS,
    "regions": REGIONS,
    "zones": ZONES,
    "tiers": TIERS,
}
