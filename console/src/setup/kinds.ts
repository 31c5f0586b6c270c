// The kinds of set-up objects: their fields, as the forms and tables show them.

export interface Field {
  name: string;
  label: string;
  kind?: "text" | "long" | "number" | "yes-no" | "choice" | "ref" | "list" | "labels" | "rules" | "password" | "date" | "refs";
  choices?: string[];
  of?: string;
  needed?: boolean;
  onlyNew?: boolean;
  help?: string;
}

export interface Kind {
  word: string;
  noun: string;
  collection: string;
  role: string;
  columns: string[];
  fields: Field[];
  filter?: { name: string; of: string };
  about?: string;
  acts?: Act[];
  /** The form of several at once, out of a list. */
  several?: Kind;
}

/** Something that can be done with a record of a kind, beside editing and removing it. */
export interface Act {
  label: string;
  path: string;
  command: string;
  title: string;
  shown: (record: Record<string, unknown>) => boolean;
}

const ABOUT: Field = { name: "about", label: "About", kind: "long" };
const NAME: Field = { name: "name", label: "Name", needed: true, help: "lower-case letters, digits, dot, dash, underscore" };
const PLACEMENTS = ["snug", "low", "roomy"];
const CONDITIONS = [
  ...["always", "wider-than", "more-at-once", "more-in-a-month", "share-of-pool", "public-space"],
  ...["beyond-quota", "pool-above-warning", "outside-hours"],
];

export const KINDS: Record<string, Kind> = {
  pools: {
    word: "pool",
    noun: "pool",
    collection: "pools",
    role: "planner",
    columns: ["name", "realm", "ranges", "parent", "region", "zone", "project", "sheet", "cooling_days"],
    filter: { name: "realm", of: "realms" },
    about: "Ranges from which blocks are handed out.",
    fields: [
      { ...NAME, needed: false, help: "left empty, the realm's template makes one" },
      { name: "realm", label: "Realm", kind: "ref", of: "realms", onlyNew: true, help: "for a top-level pool" },
      { name: "parent", label: "Carved from", kind: "ref", of: "pools", onlyNew: true, help: "leave empty for a top-level pool" },
      { name: "ranges", label: "Ranges", kind: "list", onlyNew: true, help: "prefixes with commas between" },
      { name: "lengths", label: "Or find a range of length", kind: "list", onlyNew: true, help: "for a carved pool: 20, or 6/48" },
      { name: "sheet", label: "Rule sheet", kind: "ref", of: "rule-sheets", help: "a carved pool inherits one" },
      { name: "region", label: "Region", kind: "ref", of: "regions" },
      { name: "zone", label: "Zone", kind: "ref", of: "zones" },
      { name: "project", label: "Project", kind: "ref", of: "projects", help: "serves this project alone" },
      { name: "exposure", label: "Exposure", kind: "choice", choices: ["private", "public"] },
      { name: "origin", label: "Origin", kind: "choice", choices: ["own", "provider"] },
      { name: "gives", label: "Gives", kind: "choice", choices: ["both", "subnets", "pools"], help: "subnets, pools that are carved, or both" },
      { name: "cooling_days", label: "Cooling days", kind: "number" },
      { name: "warning_percent", label: "Warning at percent", kind: "number" },
      { name: "critical_percent", label: "Critical at percent", kind: "number" },
      { name: "placement_v4", label: "Placement, IPv4", kind: "choice", choices: PLACEMENTS },
      { name: "placement_v6", label: "Placement, IPv6", kind: "choice", choices: PLACEMENTS },
      { name: "shortest_v4", label: "Shortest IPv4 length", kind: "number" },
      { name: "longest_v4", label: "Longest IPv4 length", kind: "number" },
      { name: "unit_v6", label: "IPv6 unit", kind: "number" },
      ABOUT,
    ],
  },
  realms: {
    word: "realm",
    noun: "realm",
    collection: "realms",
    role: "planner",
    columns: ["name", "private_only", "name_template", "about"],
    about: "Where addresses must be unique.",
    fields: [
      NAME,
      { name: "private_only", label: "Private ranges only", kind: "yes-no" },
      { name: "name_template", label: "Template of subnet names", help: "{project} {zone} {region} {tier} {pool} {environment} {nn}" },
      { name: "name_pattern", label: "Pattern of given subnet names", help: "the same fields, and * for anything; empty for any name" },
      { name: "pool_template", label: "Template of pool names", help: "{parent} {region} {zone} {project} {realm} {nn}; empty: given by hand" },
      { name: "reservation_template", label: "Template of reservation names", help: "{kind} {pool} {realm} {nn}" },
      { name: "plan_template", label: "Template of plan names", help: "{project} {realm}; empty: given in the plan" },
      { name: "address_template", label: "Template of address records' names", help: "{kind} {subnet} {project} {zone} {tier} {nn}" },
      ABOUT,
    ],
  },
  "rule-sheets": {
    word: "rule-sheet",
    noun: "rule sheet",
    collection: "rule-sheets",
    role: "admin",
    columns: ["name", "v4", "v6", "ipv6_needs_ipv4", "tag_needed", "dhcp", "about"],
    about: "The rules of a platform or site, as data.",
    fields: [
      NAME,
      { name: "v4", label: "IPv4 rules", kind: "rules", help: "head=1, tail=1, shortest=12, longest=30, range_shortest=8, range_longest=28" },
      { name: "v6", label: "IPv6 rules", kind: "rules", help: "the same; empty where IPv6 is not served" },
      { name: "ipv6_needs_ipv4", label: "IPv6 needs IPv4 beside it", kind: "yes-no" },
      { name: "tag_needed", label: "Every subnet carries a segment tag", kind: "yes-no" },
      { name: "dhcp", label: "Has DHCP", kind: "yes-no" },
      { name: "workloads_min", label: "Workloads per node, least", kind: "number" },
      { name: "workloads_max", label: "Workloads per node, most", kind: "number" },
      { name: "workloads", label: "Workloads per node, where nothing is said", kind: "number" },
      { name: "dhcp_service", label: "DHCP service takes an address", kind: "yes-no" },
      { name: "gateway", label: "Gateway", kind: "choice", choices: ["none", "first", "last"], help: "where nothing is said" },
      { name: "zones", label: "Zones a plan should span", kind: "number", help: "empty for any number" },
      { name: "forbidden", label: "Forbidden ranges", kind: "list", help: "prefixes or first-last, with commas between" },
      { name: "hd_threshold", label: "HD-ratio threshold" },
      ABOUT,
    ],
  },
  regions: {
    word: "region",
    noun: "region",
    collection: "regions",
    role: "planner",
    columns: ["name", "zones_per_project", "about"],
    fields: [NAME, { name: "zones_per_project", label: "Zones a project may use", kind: "number", help: "empty for all" }, ABOUT],
  },
  zones: {
    word: "zone",
    noun: "zone",
    collection: "zones",
    role: "planner",
    columns: ["name", "region", "site", "physical", "about"],
    filter: { name: "region", of: "regions" },
    fields: [
      NAME,
      { name: "region", label: "Region", kind: "ref", of: "regions", needed: true },
      { name: "site", label: "Kind of site", kind: "choice", choices: ["hall", "room", "edge", "cloud", "office", "other"] },
      { name: "physical", label: "Physical identifier" },
      ABOUT,
    ],
  },
  tiers: {
    word: "tier",
    noun: "tier",
    collection: "tiers",
    role: "planner",
    columns: ["name", "exposure", "about"],
    fields: [NAME, { name: "exposure", label: "Exposure", kind: "choice", choices: ["private", "public", "isolated"] }, ABOUT],
  },
  projects: {
    word: "project",
    noun: "project",
    collection: "projects",
    role: "planner",
    columns: ["name", "title", "environment", "home_region", "cost_centre", "contact"],
    fields: [
      NAME,
      { name: "title", label: "Title" },
      { name: "contact", label: "Contact" },
      { name: "environment", label: "Environment", kind: "choice", choices: ["production", "staging", "test", "development"] },
      { name: "home_region", label: "Home region", kind: "ref", of: "regions" },
      { name: "cost_centre", label: "Cost centre" },
      { name: "labels", label: "Labels", kind: "labels", help: "key=value, with commas between" },
    ],
  },
  "keep-outs": {
    word: "keep-out",
    noun: "keep-out",
    collection: "keep-outs",
    role: "planner",
    columns: ["range", "realm", "kind", "reason", "source", "since", "certainty", "review_on"],
    filter: { name: "realm", of: "realms" },
    about: "Ranges used or forbidden elsewhere: never handed out in their realm.",
    several: {
      word: "keep-out",
      noun: "keep-out",
      collection: "keep-outs",
      role: "planner",
      columns: [],
      fields: [
        { name: "realm", label: "Realm", kind: "ref", of: "realms", needed: true },
        { name: "list", label: "One a line: range, reason", kind: "long", needed: true, help: "a prefix or first-last, and who uses it" },
        { name: "reason", label: "Reason of those that say none" },
        { name: "source", label: "Source", help: "how they are known" },
        { name: "certainty", label: "How sure", kind: "choice", choices: ["certain", "likely", "unsure"] },
      ],
    },
    fields: [
      { name: "realm", label: "Realm", kind: "ref", of: "realms", needed: true, onlyNew: true },
      { name: "range", label: "Range", needed: true, onlyNew: true, help: "a prefix, or first-last" },
      { name: "reason", label: "Reason", needed: true },
      {
        name: "kind",
        label: "Kind",
        kind: "choice",
        choices: ["on-premises", "partner", "provider", "container-bridge", "tunnel", "special", "other"],
      },
      { name: "source", label: "Source", help: "how it is known" },
      { name: "since", label: "Since", kind: "date" },
      { name: "certainty", label: "How sure", kind: "choice", choices: ["certain", "likely", "unsure"] },
      { name: "review_on", label: "To be looked at again on", kind: "date" },
      { name: "despite_use", label: "Also over space in use", kind: "yes-no", onlyNew: true },
    ],
  },
  reservations: {
    word: "reservation",
    noun: "reservation",
    collection: "reservations",
    role: "planner",
    columns: ["name", "left", "pool", "kind", "reason", "ends_at", "projects"],
    filter: { name: "pool", of: "pools" },
    about: "Ranges kept back from ordinary hand-out.",
    fields: [
      { name: "name", label: "Name", help: "its kind with the next number if left empty" },
      { name: "pool", label: "Pool", kind: "ref", of: "pools", needed: true, onlyNew: true },
      { name: "range", label: "Range", onlyNew: true, help: "a prefix, or first-last" },
      { name: "length", label: "Or find one of length", kind: "number", onlyNew: true },
      { name: "hosts", label: "Or one for so many hosts", kind: "number", onlyNew: true },
      { name: "reason", label: "Reason", needed: true },
      {
        name: "kind",
        label: "Kind",
        kind: "choice",
        choices: ["transit", "gateways", "balancers", "cluster", "management", "future zone", "future tier", "other"],
      },
      { name: "service", label: "Kept for one service alone" },
      { name: "ends_at", label: "Until", help: "such as 2027-01-31T00:00:00Z; then it falls back by itself" },
      { name: "projects", label: "May draw", kind: "refs", help: "projects, with commas between; none: planners alone" },
      { name: "tiers", label: "Only for tiers", kind: "refs", help: "names with commas between" },
    ],
  },
  "tag-ranges": {
    word: "tag-range",
    noun: "tag range",
    collection: "tag-ranges",
    role: "planner",
    columns: ["first", "last", "zone", "region", "tier", "forbidden", "purpose"],
    filter: { name: "zone", of: "zones" },
    about: "Segment tags of a zone, a region or everywhere: for a tier, for any, or forbidden.",
    fields: [
      { name: "first", label: "First", kind: "number", needed: true },
      { name: "last", label: "Last", kind: "number", needed: true },
      { name: "zone", label: "Zone", kind: "ref", of: "zones" },
      { name: "region", label: "Region", kind: "ref", of: "regions", help: "and its zones; empty like the zone for everywhere" },
      { name: "tier", label: "For this tier alone", kind: "ref", of: "tiers" },
      { name: "forbidden", label: "Forbidden", kind: "yes-no" },
      { name: "purpose", label: "Purpose" },
    ],
  },
  "tag-members": {
    word: "tag-member",
    noun: "tag member",
    collection: "tag-members",
    role: "planner",
    columns: ["subnet", "name", "kind", "tag", "outer_tag", "differs", "about"],
    filter: { name: "subnet", of: "subnets" },
    about: "Where the segment of a tag leads to, with the tag it has there: two ends that differ do not hear one another.",
    fields: [
      { ...NAME, help: "of the node, site or end" },
      { name: "subnet", label: "Subnet", kind: "ref", of: "subnets", needed: true, onlyNew: true },
      { name: "kind", label: "Kind", kind: "choice", choices: ["node", "site", "end"] },
      { name: "tag", label: "Tag there", kind: "number", help: "empty for the subnet's own" },
      { name: "outer_tag", label: "Outer tag there", kind: "number" },
      ABOUT,
    ],
  },
  "planned-needs": {
    word: "need",
    noun: "planned need",
    collection: "planned-needs",
    role: "planner",
    columns: ["name", "day", "count", "length", "pool", "project", "reason", "plan"],
    filter: { name: "pool", of: "pools" },
    about: "Blocks that will be asked for on a day: steps in the forecast of their pool.",
    fields: [
      NAME,
      { name: "pool", label: "Pool", kind: "ref", of: "pools", needed: true },
      { name: "family", label: "Family", kind: "choice", choices: ["4", "6"] },
      { name: "length", label: "Length of each block", kind: "number", needed: true },
      { name: "count", label: "How many blocks", kind: "number" },
      { name: "day", label: "Day", kind: "date", needed: true },
      { name: "project", label: "Project", kind: "ref", of: "projects" },
      { name: "reason", label: "Reason", needed: true, help: "who will ask, and what for" },
    ],
  },
  "approval-rules": {
    word: "rules",
    noun: "approval rule",
    collection: "approval-rules",
    role: "planner",
    columns: ["place", "name", "words", "holds", "lapses_after", "about"],
    filter: { name: "pool", of: "pools" },
    about: "Which requests wait for a planner: the first rule that fits decides.",
    fields: [
      NAME,
      { name: "when", label: "When", kind: "choice", choices: CONDITIONS, needed: true },
      { name: "limit", label: "Limit", kind: "number", help: "an IPv4 length, a count, or a percentage, as the condition needs it" },
      { name: "limit_v6", label: "IPv6 length", kind: "number", help: "of wider-than" },
      { name: "hours", label: "Hours", help: "of outside-hours: mon-fri 08:00-17:00" },
      { name: "time_zone", label: "Time zone of the hours", help: "such as Europe/Oslo" },
      { name: "decision", label: "Then it", kind: "choice", choices: ["waits", "granted"], help: "granted: at once, whatever later rules say" },
      { name: "place", label: "Place in the order", kind: "number", help: "the lower, the earlier" },
      { name: "realm", label: "In this realm alone", kind: "ref", of: "realms" },
      { name: "pool", label: "Out of this pool alone", kind: "ref", of: "pools" },
      { name: "project", label: "Of this project alone", kind: "ref", of: "projects" },
      { name: "tier", label: "For this tier alone", kind: "ref", of: "tiers" },
      { name: "environment", label: "Of this environment alone", kind: "choice", choices: ["", "production", "staging", "test", "development"] },
      { name: "holds", label: "Holds the space that was shown", kind: "yes-no" },
      { name: "reminds_after", label: "Reminds after days", kind: "number", help: "0: never" },
      { name: "lapses_after", label: "Lapses after days", kind: "number" },
      ABOUT,
    ],
  },
  quotas: {
    word: "quota",
    noun: "quota",
    collection: "quotas",
    role: "planner",
    columns: ["name", "use", "about"],
    filter: { name: "project", of: "projects" },
    about: "How much a project may have: everywhere, or in one realm, region or pool.",
    fields: [
      { name: "project", label: "Project", kind: "ref", of: "projects", needed: true, onlyNew: true },
      { name: "realm", label: "In this realm alone", kind: "ref", of: "realms", onlyNew: true },
      { name: "region", label: "In this region alone", kind: "ref", of: "regions", onlyNew: true },
      { name: "pool", label: "In this pool alone", kind: "ref", of: "pools", onlyNew: true },
      { name: "subnets", label: "Subnets", kind: "number", help: "empty for no limit" },
      { name: "v4_addresses", label: "IPv4 addresses", kind: "number", help: "of all its blocks; empty for no limit" },
      { name: "v6_units", label: "IPv6 units", kind: "number", help: "each of its pool's length; empty for no limit" },
      { name: "public_addresses", label: "Public addresses", kind: "number", help: "single ones; empty for no limit" },
      { name: "tags", label: "Segment tags", kind: "number", help: "empty for no limit" },
      { name: "records", label: "Address records", kind: "number", help: "empty for no limit" },
      ABOUT,
    ],
  },
  subscriptions: {
    word: "subscription",
    noun: "subscription",
    collection: "subscriptions",
    role: "planner",
    columns: ["name", "endpoint", "kinds", "verbs", "realms", "projects", "paused", "taken", "outcome"],
    about: "Addresses to which changes are sent as they happen, signed, in order, again until they are taken.",
    fields: [
      NAME,
      { name: "endpoint", label: "Endpoint", needed: true, help: "https://host/path; http only to hosts that the operator has listed" },
      { name: "kinds", label: "Kinds of records", kind: "list", help: "such as subnet, pool, alert; empty for any" },
      { name: "verbs", label: "What was done", kind: "list", help: "such as hand out, give back; empty for anything" },
      { name: "realms", label: "Realms", kind: "refs", help: "names with commas between; empty for any" },
      { name: "projects", label: "Projects", kind: "refs", help: "names with commas between; empty for any" },
      { name: "secret", label: "Secret", kind: "password", help: "what events are signed with; leave empty: one is made and told once" },
      ABOUT,
    ],
  },
  people: {
    word: "person",
    noun: "person",
    collection: "people",
    role: "admin",
    columns: ["name", "full_name", "role", "projects", "service_of", "active"],
    acts: [
      {
        label: "Unlock",
        path: "unlock",
        command: "unlock",
        title: "Forget the failed sign-ins of somebody",
        shown: (person) => Number(person["failed_sign_ins"]) > 0,
      },
      {
        label: "Second factor off",
        path: "second-factor-off",
        command: "second-factor-off",
        title: "Turn off the second factor of somebody who has lost it",
        shown: (person) => person["second_factor"] === true,
      },
      {
        label: "By single sign-on",
        path: "by-sign-on",
        command: "by-sign-on",
        title: "Have somebody sign in by single sign-on: the password is gone",
        shown: (person) => person["sign_on"] === "" && !person["service_of"],
      },
      { label: "Revoke tokens", path: "revoke-tokens", command: "revoke-tokens", title: "Revoke all tokens of somebody", shown: () => true },
    ],
    fields: [
      NAME,
      { name: "full_name", label: "Full name" },
      { name: "role", label: "Role", kind: "choice", choices: ["viewer", "requester", "planner", "admin"], needed: true },
      { name: "needs_second_factor", label: "Is to sign in with a second factor", kind: "yes-no" },
      { name: "email", label: "Mail address", help: "where mail goes to" },
      { name: "mail", label: "Told by mail", kind: "choice", choices: ["at once", "daily", "never"] },
      { name: "projects", label: "Own projects", kind: "refs", help: "names with commas between" },
      { name: "service_of", label: "Service account of project", kind: "ref", of: "projects", onlyNew: true, help: "it has no password, only tokens; leave empty for a person" },
      { name: "active", label: "Active", kind: "yes-no" },
      { name: "password", label: "New password", kind: "password", help: "12 characters or more, not easily guessed; leave empty to keep" },
    ],
  },
  sources: {
    word: "source",
    noun: "source",
    collection: "sources",
    role: "planner",
    columns: ["name", "realm", "kind", "covers", "seen_at", "good_for", "about"],
    filter: { name: "realm", of: "realms" },
    about: "Places that tell what really exists; lentra survey sends what one has seen, and findings tell where that differs from what is recorded.",
    fields: [
      NAME,
      { name: "realm", label: "Realm", kind: "ref", of: "realms", needed: true, onlyNew: true },
      { name: "kind", label: "Kind", kind: "choice", choices: ["file", "host"], onlyNew: true, help: "a file that somebody keeps, or a Linux host or router" },
      { name: "covers", label: "Covers", kind: "refs", help: "prefixes that it would tell all of, with commas between: what is not seen there is silent" },
      { name: "good_for", label: "Good for days", kind: "number", help: "that a sighting is believed" },
      ABOUT,
    ],
  },
  "group-mappings": {
    word: "group-mapping",
    noun: "group mapping",
    collection: "group-mappings",
    role: "admin",
    columns: ["group", "role", "project", "about"],
    filter: { name: "project", of: "projects" },
    about: "What belonging to a group of the single sign-on gives: the farthest role of one's groups, and the projects of all of them, at each sign-on.",
    fields: [
      { name: "group", label: "Group", needed: true, help: "as the single sign-on names it; * for everybody" },
      { name: "role", label: "Role", kind: "choice", choices: ["viewer", "requester", "planner", "admin"], needed: true },
      { name: "project", label: "Own project", kind: "ref", of: "projects" },
      ABOUT,
    ],
  },
};
