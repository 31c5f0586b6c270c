# Written by script/client_stubs.py from the OpenAPI document: `script/lint --fix` writes it anew.
from typing import Any, Literal, NotRequired, TypedDict
class AcknowledgeRequest(TypedDict):
    reason: str
    until: NotRequired[str | None]
    proposal: NotRequired[str | None]
class Address(TypedDict):
    id: int
    version: int
    address: str
    family: int
    kind: NotRequired[AddressKindEnum]
    name: str
    mac: NotRequired[str | None]
    secondary: NotRequired[bool]
    purpose: NotRequired[str]
    aliases: list[str]
    subnet: Named
    realm: Named
    created_at: str
    last_seen_at: str | None
AddressKindEnum = Literal["host", "gateway", "router", "dhcp-service", "balancer", "virtual", "jump-host", "service", "reserved"]
class AddressMap(TypedDict):
    subnet: Named
    blocks: list[BlockMap]
class AddressesMade(TypedDict):
    addresses: list[Address]
class Alert(TypedDict):
    id: int
    kind: AlertKindEnum
    realm: str
    pool: Named | None
    family: int | None
    threshold: ThresholdEnum | None
    stage: StageEnum | None
    opened_at: str
    resolved_at: str | None
    text: str
    acknowledged_by: str | None
    acknowledged_at: str | None
    acknowledged_why: str
    muted_until: str | None
AlertKindEnum = Literal["threshold", "verification", "review", "findings", "source"]
class AnswersRequest(TypedDict):
    answers: NotRequired[dict[str, str]]
class ApprovalRule(TypedDict):
    id: int
    version: int
    name: str
    words: str
    decision: NotRequired[DecisionEnum]
    place: NotRequired[int]
    when: ApprovalRuleWhenEnum
    limit: NotRequired[int | None]
    limit_v6: NotRequired[int | None]
    hours: NotRequired[str]
    time_zone: NotRequired[str]
    realm: NotRequired[Named | None]
    pool: NotRequired[Named | None]
    project: NotRequired[Named | None]
    tier: NotRequired[Named | None]
    environment: NotRequired[EnvironmentEnum | BlankEnum]
    holds: NotRequired[bool]
    reminds_after: NotRequired[int]
    lapses_after: NotRequired[int]
    about: NotRequired[str]
class ApprovalRuleRequest(TypedDict):
    name: str
    decision: NotRequired[DecisionEnum]
    place: NotRequired[int]
    when: ApprovalRuleWhenEnum
    limit: NotRequired[int | None]
    limit_v6: NotRequired[int | None]
    hours: NotRequired[str]
    time_zone: NotRequired[str]
    realm: NotRequired[str | int | dict[str, Any] | None]
    pool: NotRequired[str | int | dict[str, Any] | None]
    project: NotRequired[str | int | dict[str, Any] | None]
    tier: NotRequired[str | int | dict[str, Any] | None]
    environment: NotRequired[EnvironmentEnum | BlankEnum]
    holds: NotRequired[bool]
    reminds_after: NotRequired[int]
    lapses_after: NotRequired[int]
    about: NotRequired[str]
    proposal: NotRequired[str | None]
ApprovalRuleWhenEnum = Literal["always", "wider-than", "more-at-once", "more-in-a-month", "share-of-pool", "public-space", "beyond-quota", "pool-above-warning", "outside-hours"]
class AsPlanRequest(TypedDict):
    project: str
    pool: str
    zones: list[str]
    tier: NotRequired[str]
class AssignManyRequest(TypedDict):
    assignee: NotRequired[str | int | dict[str, Any] | None]
    project: NotRequired[str | int | dict[str, Any] | None]
    due: NotRequired[str | None]
    findings: list[int]
    proposal: NotRequired[str | None]
class AssignRequest(TypedDict):
    assignee: NotRequired[str | int | dict[str, Any] | None]
    project: NotRequired[str | int | dict[str, Any] | None]
    due: NotRequired[str | None]
    proposal: NotRequired[str | None]
class AttachRequest(TypedDict):
    target: NotRequired[str]
    record: NotRequired[str]
    how: NotRequired[TranslationEnum]
    purpose: NotRequired[str]
    move: NotRequired[bool]
    proposal: NotRequired[str | None]
class Authorisation(TypedDict):
    prefix: str
    longest: int
    origin_as: int
    pool: str
BecomesEnum = Literal["keep-out", "address-record", "subnet", "reservation"]
class BeginStep(TypedDict):
    name: str
    title: str
    words: str
    questions: list[Question]
class BeginSteps(TypedDict):
    steps: list[BeginStep]
class Beginning(TypedDict):
    text: str
    document: dict[str, Any]
    files: dict[str, str]
class Beside(TypedDict):
    blocks: list[str]
    usage: list[PoolBeside]
    elsewhere: list[Elsewhere]
BlankEnum = Literal[""]
class Block(TypedDict):
    prefix: str
    family: int
    first: str
    last: str
    total: str
    usable: str | None
class BlockHeadroom(TypedDict):
    block: str
    family: int
    usable: str | None
    hosts: str | None
    can_grow_to: str
    steps: list[GrowthStep]
class BlockMap(TypedDict):
    prefix: str
    family: int
    gateway: str | None
    dhcp: list[str]
    dhcp_service: str | None
    total: str
    totals: dict[str, str]
    stretches: list[Stretch]
class Bounds(TypedDict):
    first: str
    last: str
    usable: str
    first_usable: str | None
    last_usable: str | None
class BreakdownRow(TypedDict):
    realm: NotRequired[Named | None]
    pool: NotRequired[Named | None]
    region: NotRequired[Named | None]
    zone: NotRequired[Named | None]
    tier: NotRequired[Named | None]
    project: NotRequired[Named | None]
    subnets: int
    used: str
    percent: float
    addresses: dict[str, str]
    usable: str | None
    hosts: str | None
class Candidate(TypedDict):
    pool: Named
    realm: Named
    region: Named | None
    zone: Named | None
    sheet: Named
    length: int
    block: str
    usable: str
    why: str
    free: str
    largest_free: str | None
    used_percent: float
    leaves: str
    can_grow_to: str
class CandidatesAnswer(TypedDict):
    candidates: list[Candidate]
    passed_over: list[str]
class Carried(TypedDict):
    what: str
    old: str
    new: str
class Carries(TypedDict):
    prefix: str
    sheet: str
    hosts: str | None
    subnets: dict[str, str]
    nodes: int | None
    nodes_alone: int | None
class CellsRequest(TypedDict):
    row: int
    cells: dict[str, str]
CertaintyEnum = Literal["certain", "likely", "unsure"]
class Change(TypedDict):
    entry: int | None
    verb: str
    kind: str
    name: str
    before: dict[str, Any] | None
    after: dict[str, Any] | None
class ChangeRangeRequest(TypedDict):
    old: str
    new: str
    rebase: NotRequired[bool]
    proposal: NotRequired[str | None]
class Changes(TypedDict):
    what: str
    by: str
    subnets: int
    ipv4: str
CheckEnum = Literal["rules changed", "names changed", "hosts moved", "old silent"]
class CheckQueryRequest(TypedDict):
    realm: NotRequired[str | int | dict[str, Any]]
    realms: NotRequired[list[str | int | dict[str, Any]]]
    ranges: NotRequired[list[str]]
    text: NotRequired[str]
class CheckRequest(TypedDict):
    check: CheckEnum
    subnets: NotRequired[list[str | int | dict[str, Any]]]
    done: NotRequired[bool]
    proposal: NotRequired[str | None]
Checked = TypedDict("Checked", {"line": int, "text": str, "name": str, "range": str | None, "how": str, "meets": int, "clashes_with": list[int], "why": str, "suggestions": list[str], "pool": Named | None, "with": list[Met]})
class ChecksDone(TypedDict):
    check: CheckEnum
    moves: int
ClashCounts = TypedDict("ClashCounts", {"living": int, "planned": int, "kept out": int})
ClashKindEnum = Literal["living", "planned", "kept out"]
class ClashLine(TypedDict):
    kind: ClashKindEnum
    range: str
    clashes: int
    addresses: str
    one: ClashSide
    other: ClashSide
    ways: list[WayOut]
class ClashSide(TypedDict):
    realm: str
    whose: str
    project: str | None
    zones: list[str]
    states: list[str]
    pools: list[str]
    ranges: list[str]
    range_count: int
    subnets: list[Named]
    subnet_count: int
    records: int
class Clearing(TypedDict):
    prefix: str
    addresses: str
    blocks: list[MovedBlock]
    room: list[MovedBlock]
class ClusterMade(TypedDict):
    size: ClusterSize
    subnet: Subnet
    reservations: list[Reservation]
    keep_outs: list[KeepOut]
    why: list[str]
class ClusterRequest(TypedDict):
    nodes: int
    surge: NotRequired[int]
    workloads: NotRequired[int | None]
    balancers: NotRequired[int]
    own_range: NotRequired[bool]
    most_nodes: NotRequired[int]
    zones: NotRequired[int]
    services: NotRequired[int]
    length: NotRequired[int]
    service_range: NotRequired[str]
    name_service: NotRequired[str]
    name: str
    pool: str | int | dict[str, Any]
    project: str | int | dict[str, Any]
    tier: str | int | dict[str, Any]
    zone: NotRequired[str | int | dict[str, Any] | None]
    region: NotRequired[str | int | dict[str, Any] | None]
    workload_range: NotRequired[str]
    bridge_range: NotRequired[str]
    take_as: NotRequired[TakeAsEnum]
    labels: NotRequired[dict[str, str]]
    proposal: NotRequired[str | None]
class ClusterSize(TypedDict):
    subnet: Size
    most_nodes: int
    workload_length: int | None
    slice_length: int | None
    service_length: int | None
    zones: int | None
    nodes_of_a_zone: int
    services: ServiceRange | None
class ClusterSizeQueryRequest(TypedDict):
    sheet: NotRequired[str]
    pool: NotRequired[str]
    nodes: int
    surge: NotRequired[int]
    workloads: NotRequired[int | None]
    balancers: NotRequired[int]
    own_range: NotRequired[bool]
    most_nodes: NotRequired[int]
    zones: NotRequired[int]
    services: NotRequired[int]
    length: NotRequired[int]
    service_range: NotRequired[str]
    name_service: NotRequired[str]
class CodeForTerminal(TypedDict):
    code: str
    good_until: str
class CodeRequest(TypedDict):
    code: str
    proposal: NotRequired[str | None]
class Column(TypedDict):
    heading: str
    field: str
    guessed: bool
    samples: list[str]
class CommitIntakeRequest(TypedDict):
    proposal: str
    good_rows: NotRequired[bool]
class Compaction(TypedDict):
    pool: Named
    family: int
    length: int
    fits: str
    free: str
    largest_free: str | None
    possible: str | None
    options: list[Clearing]
    why: str | None
class CorrectRequest(TypedDict):
    source: NotRequired[str]
    proposal: NotRequired[str | None]
DecisionEnum = Literal["waits", "granted"]
class Departure(TypedDict):
    slot: str
    kind: str
    what: str
    step: str
    accepted: bool
    subnet: Named | None
class Difference(TypedDict):
    what: str
    asked: str
    granted: str
class DifferenceRequest(TypedDict):
    what: str
    asked: str
    granted: str
class Differing(TypedDict):
    id: int
    name: str
    kind: str
    tag: int
    outer_tag: int
    subnet: Named
    subnet_tag: int | None
    subnet_outer_tag: int
class DismissManyRequest(TypedDict):
    reason: str
    until: NotRequired[str | None]
    findings: list[int]
    proposal: NotRequired[str | None]
class DismissRequest(TypedDict):
    reason: str
    until: NotRequired[str | None]
    proposal: NotRequired[str | None]
class DnsChange(TypedDict):
    wave: str
    action: DnsChangeActionEnum
    name: str
    type: DnsChangeTypeEnum
    data: str
DnsChangeActionEnum = Literal["add", "delete"]
DnsChangeTypeEnum = Literal["A", "AAAA", "PTR"]
class DnsCounts(TypedDict):
    entries: int
    pending: int
    refused: int
    hidden: int
class DnsCountsRequest(TypedDict):
    entries: int
    pending: int
    refused: int
    hidden: int
class DnsEntry(TypedDict):
    dns_zone: Named
    owner: str
    type: str
    data: str
    ttl: int
    state: DnsEntryStateEnum
    subnet: Named | None
    by_hand: int | None
DnsEntryStateEnum = Literal["published", "to add", "to remove", "refused", "hidden"]
class DnsRecord(TypedDict):
    id: int
    version: int
    dns_zone: Named
    owner: NotRequired[str]
    type: DnsRecordTypeEnum
    data: str
    ttl: NotRequired[int | None]
    about: NotRequired[str]
class DnsRecordRequest(TypedDict):
    dns_zone: str | int | dict[str, Any]
    owner: NotRequired[str]
    type: DnsRecordTypeEnum
    data: str
    ttl: NotRequired[int | None]
    about: NotRequired[str]
    proposal: NotRequired[str | None]
DnsRecordTypeEnum = Literal["CNAME", "TXT", "MX", "SRV", "CAA"]
class DnsZone(TypedDict):
    id: int
    version: int
    name: str
    shown: str
    realm: Named
    project: NotRequired[Named | None]
    range: str | None
    delegated: NotRequired[bool]
    primary: NotRequired[str]
    contact: NotRequired[str]
    servers: NotRequired[list[str]]
    ds: NotRequired[list[str]]
    ttl: NotRequired[int]
    negative_ttl: NotRequired[int]
    host_names: NotRequired[str]
    gateway_names: NotRequired[str]
    edge_names: NotRequired[str]
    public_names: NotRequired[str]
    names_end: NotRequired[NamesEndEnum]
    address: NotRequired[str]
    has_credential: bool
    every: NotRequired[int | None]
    serving: Serving | None
    counts: DnsCounts
    about: NotRequired[str]
class DnsZoneRequest(TypedDict):
    name: str
    realm: str | int | dict[str, Any]
    project: NotRequired[str | int | dict[str, Any] | None]
    delegated: NotRequired[bool]
    primary: NotRequired[str]
    contact: NotRequired[str]
    servers: NotRequired[list[str]]
    ds: NotRequired[list[str]]
    ttl: NotRequired[int]
    negative_ttl: NotRequired[int]
    host_names: NotRequired[str]
    gateway_names: NotRequired[str]
    edge_names: NotRequired[str]
    public_names: NotRequired[str]
    names_end: NotRequired[NamesEndEnum]
    address: NotRequired[str]
    credential: NotRequired[str]
    every: NotRequired[int | None]
    about: NotRequired[str]
    proposal: NotRequired[str | None]
class Effective(TypedDict):
    family: int
    reach: ReachEnum
    proof: str
    differs: str
class Elsewhere(TypedDict):
    pool: Named
    block: str
    why: str
    leaves: int
    used_percent: float
EnvironmentEnum = Literal["production", "staging", "test", "development"]
class Estate(TypedDict):
    text: str
    document: dict[str, Any]
class EstateEntry(TypedDict):
    where: str
    section: str
    key: str
    what: str
    differs: dict[str, list[str]]
    message: str
    suggestions: list[str]
class EstateInRequest(TypedDict):
    text: NotRequired[str]
    document: NotRequired[dict[str, Any]]
    files: NotRequired[dict[str, str]]
    take_away: NotRequired[bool]
    proposal: NotRequired[str | None]
class ExpectPlanRequest(TypedDict):
    text: NotRequired[str]
    document: NotRequired[dict[str, Any]]
    day: str
    proposal: NotRequired[str | None]
class Expected(TypedDict):
    needs: list[PlannedNeed]
class Explanation(TypedDict):
    prefix: str
    family: int
    total: str
    withheld: str
    usable: str
    first: str
    last: str
    first_usable: str | None
    last_usable: str | None
    netmask: str | None
    wildcard: str | None
    fixed_bits: int
    free_bits: int
    space: str
    gateways: list[str]
    enclosing: list[str]
    children: dict[str, str]
    reverse_names: list[str]
    sheet: str
    special: list[str]
    notes: list[str]
    places: list[Whereabouts]
ExposureEnum = Literal["private", "public", "isolated"]
FamilyEnum = Literal[4, 6]
class FamilyRules(TypedDict):
    head: int
    tail: int
    shortest: int
    longest: int
    range_shortest: int
    range_longest: int
    max_ranges: NotRequired[int | None]
class FamilyRulesRequest(TypedDict):
    head: int
    tail: int
    shortest: int
    longest: int
    range_shortest: int
    range_longest: int
    max_ranges: NotRequired[int | None]
class Fan(TypedDict):
    day: str
    low: str
    likely: str
    high: str
class Fault(TypedDict):
    message: str
    code: str
    field: NotRequired[str | None]
    rule: NotRequired[str | None]
    conflicts: list[dict[str, Any]]
    suggestions: list[str]
class Field(TypedDict):
    name: str
    about: str
    needed: bool
class Finding(TypedDict):
    id: int
    version: int
    name: str
    realm: Named
    kind: FindingKindEnum
    range: str
    fact: str
    text: str
    recorded: str
    seen: list[Seen]
    subnet: dict[str, Any] | None
    project: dict[str, Any] | None
    dns_zone: int | None
    dns_name: str
    state: FindingStateEnum
    opened_at: str
    closed_at: str | None
    reason: str
    until: str | None
    assignee: dict[str, Any] | None
    due: str | None
    can_become: list[str]
    can_correct: bool
FindingKindEnum = Literal["stray", "silent", "differs", "clash", "exposed", "cut-off", "dns"]
FindingStateEnum = Literal["open", "dismissed", "closed"]
class FinishRequest(TypedDict):
    wave: NotRequired[str]
    subnets: NotRequired[list[str | int | dict[str, Any]]]
    despite_use: NotRequired[bool]
    proposal: NotRequired[str | None]
class Fit(TypedDict):
    length: int
    count: str
class FitsBeside(TypedDict):
    length: int
    today: str
    then: str
class Found(TypedDict):
    kind: str
    id: int
    name: str
    realm: Named | None
    about: str
    why: str
class Gap(TypedDict):
    range: str
    first: str
    last: str
    addresses: str
    largest: str
    before: Holder | None
    after: Holder | None
GatewayEnum = Literal["none", "first", "last"]
GivesEnum = Literal["both", "subnets", "pools"]
class GrantRequest(TypedDict):
    values: NotRequired[dict[str, Any]]
    anew: NotRequired[bool]
    proposal: NotRequired[str | None]
class GridCell(TypedDict):
    zone: str
    tier: str
    gap: bool
    count: int
    usable: str
    hosts: str
    subnets: list[GridSubnet]
class GridSubnet(TypedDict):
    id: int
    name: str
    blocks: list[str]
    room: list[str]
    usable: str | None
    hosts: str | None
class GroupMapping(TypedDict):
    id: int
    version: int
    name: str
    group: str
    role: RoleEnum
    project: NotRequired[Named | None]
    about: NotRequired[str]
class GroupMappingRequest(TypedDict):
    group: str
    role: RoleEnum
    project: NotRequired[str | int | dict[str, Any] | None]
    about: NotRequired[str]
    proposal: NotRequired[str | None]
class GrowRequest(TypedDict):
    length: NotRequired[int]
    hosts: NotRequired[int]
    growth: NotRequired[int]
    family: NotRequired[FamilyEnum]
    downward: NotRequired[bool]
    second: NotRequired[bool]
    proposal: NotRequired[str | None]
class GrowthStep(TypedDict):
    prefix: str
    length: int
    possible: bool
    moves_first: bool
    in_the_way: list[InTheWay]
    why: str
class Hand(TypedDict):
    number: int
    verb: str
    who: str
    why: str
class HandOverRequest(TypedDict):
    project: str | int | dict[str, Any]
    proposal: NotRequired[str | None]
class HandedOut(TypedDict):
    subnets: list[Subnet]
    why: list[str]
class HandsOut(TypedDict):
    range: str
    addresses: str
    realm: str | None
    why: str
    proposed: bool
class HeadroomRow(TypedDict):
    pool: Named
    realm: Named
    family: int
    used_percent: float
    largest_free: str | None
    per_month: str | None
    no_forecast: str | None
    window_days: int
    confidence_percent: int
    thresholds: list[Threshold]
class HeldBlocks(TypedDict):
    realm: Named
    family: int
    length: int
    count: int
    addresses: str
class HeldUp(TypedDict):
    move: Named
    wave: str
    why: str
class Holder(TypedDict):
    range: str
    state: str
    pool: str
    addresses: str
    owner: NotRequired[str]
    id: NotRequired[int]
    project: NotRequired[str]
    zone: NotRequired[str | None]
    region: NotRequired[str | None]
    tier: NotRequired[str]
    until: NotRequired[str]
    keep_out: NotRequired[int]
    reservation: NotRequired[int]
    reason: NotRequired[str]
    service: NotRequired[str]
    kind: NotRequired[str]
class Holding(TypedDict):
    kind: str
    id: int
    name: str
    realm: Named
    ranges: list[str]
    state: str | None
    place: str | None
    tier: str | None
    about: str
class HostCounts(TypedDict):
    all: int
    moved: int
    seen: int
class HostsMovedRequest(TypedDict):
    subnets: NotRequired[list[str | int | dict[str, Any]]]
    hosts: NotRequired[list[str]]
    moved: NotRequired[bool]
    proposal: NotRequired[str | None]
class Idle(TypedDict):
    kind: str
    what: str
    id: int
    where: str
    since: str | None
    days: int | None
    why: str
    step: str
class InTheWay(TypedDict):
    range: str
    state: str
    owner: str | None
    addresses: str
class Intake(TypedDict):
    id: int
    version: int
    name: str
    table: str
    digest: str
    size: int
    state: NotRequired[IntakeStateEnum]
    person: Named | None
    created_at: str
    options: Options
    made: dict[str, int]
    stage: str
    done: int
    total: int
    of: str
    told: str
    columns: list[Column]
    fields: list[Field]
    counts: dict[str, int]
    missing: dict[str, list[str]]
    usage: list[IntakeUsage]
    fault: Fault | None
    proposal: str
class IntakeRow(TypedDict):
    number: int
    outcome: OutcomeEnum
    cells: dict[str, Any]
    told: dict[str, Any]
IntakeStateEnum = Literal["open", "committed", "taken back", "dropped"]
class IntakeUsage(TypedDict):
    pool: str
    family: int
    before_percent: float
    after_percent: float
    added: str
Ipv6HostsEnum = Literal["slaac", "dhcpv6", "both"]
class KeepOut(TypedDict):
    id: int
    version: int
    realm: Named
    range: str
    kind: NotRequired[KeepOutKindEnum]
    reason: str
    source: NotRequired[str]
    since: NotRequired[str | None]
    certainty: NotRequired[CertaintyEnum]
    review_on: NotRequired[str | None]
    finding: int | None
    in_favour_of: str | None
KeepOutKindEnum = Literal["on-premises", "partner", "provider", "container-bridge", "tunnel", "special", "linked", "other"]
class KeepOutRequest(TypedDict):
    realm: str | int | dict[str, Any]
    range: str
    kind: NotRequired[KeepOutKindEnum]
    reason: str
    source: NotRequired[str]
    since: NotRequired[str | None]
    certainty: NotRequired[CertaintyEnum]
    review_on: NotRequired[str | None]
    despite_use: NotRequired[bool]
    proposal: NotRequired[str | None]
class KeepOutRowRequest(TypedDict):
    range: str
    reason: NotRequired[str]
    kind: NotRequired[KeepOutKindEnum]
    source: NotRequired[str]
    since: NotRequired[str | None]
    certainty: NotRequired[CertaintyEnum]
    review_on: NotRequired[str | None]
class KeepOutsMade(TypedDict):
    keep_outs: list[KeepOut]
class KeepOutsRequest(TypedDict):
    reason: NotRequired[str]
    kind: NotRequired[KeepOutKindEnum]
    source: NotRequired[str]
    since: NotRequired[str | None]
    certainty: NotRequired[CertaintyEnum]
    review_on: NotRequired[str | None]
    realm: str | int | dict[str, Any]
    despite_use: NotRequired[bool]
    rows: list[KeepOutRowRequest]
    proposal: NotRequired[str | None]
class Kept(TypedDict):
    id: int
    range: str
    kind: str
    reason: str
class Ledger(TypedDict):
    number: int
    at: str
    actor_name: str
    verb: str
    kind: str
    record: int
    name: str
    before: dict[str, Any] | None
    after: dict[str, Any] | None
    why: NotRequired[str]
    operation: str
class Length(TypedDict):
    family: FamilyEnum
    length: int
class LengthHeadroom(TypedDict):
    length: int
    fits: str
    asked: int
    until: str | None
    days: int | None
class LengthRequest(TypedDict):
    family: FamilyEnum
    length: int
class Line(TypedDict):
    text: str
    note: str
    kind: str | None
    id: int | None
class Link(TypedDict):
    id: int
    version: int
    name: str
    one: Named
    other: Named
    kind: NotRequired[LinkKindEnum]
    one_shows: NotRequired[list[str]]
    other_shows: NotRequired[list[str]]
    passes_on: NotRequired[bool]
    since: NotRequired[str | None]
    reason: NotRequired[str]
    about: NotRequired[str]
class LinkInGraph(TypedDict):
    id: int
    name: str
    kind: LinkKindEnum
    one: str
    other: str
LinkKindEnum = Literal["tunnel", "peering", "shared-router", "exchange"]
class LinkRequest(TypedDict):
    name: str
    one: str | int | dict[str, Any]
    other: str | int | dict[str, Any]
    kind: NotRequired[LinkKindEnum]
    one_shows: NotRequired[list[str]]
    other_shows: NotRequired[list[str]]
    one_gives: NotRequired[list[str]]
    other_gives: NotRequired[list[str]]
    passes_on: NotRequired[bool]
    since: NotRequired[str | None]
    reason: NotRequired[str]
    about: NotRequired[str]
    proposal: NotRequired[str | None]
class ListedRange(TypedDict):
    prefix: str
    family: int
    realm: str
    mark: str
    name: str
    project: str
    zone: str
    tier: str
class LocatedRange(TypedDict):
    prefix: str
    country: str
    subdivision: str
    city: str
class Look(TypedDict):
    due_at: str | None
    begun_at: str | None
    got: int
    asked_at: str | None
    outcome: str
    failing_since: str | None
    position: str
MailEnum = Literal["at once", "daily", "never"]
class MapBranch(TypedDict):
    range: str
    start: float
    share: float
    length: int
    used_percent: float
class MapCell(TypedDict):
    range: str
    start: float
    share: float
    state: str
    addresses: str
    free: str
    extents: int
    pool: Named | None
    subnet: Named | None
    child: Named | None
    reservation: Named | None
    project: str | None
    zone: str | None
    tier: str | None
    since: str | None
    hosts: str | None
    usable: str | None
    sums: dict[str, str] | None
    why: str | None
    seen: str | None
MapOfEnum = Literal["subnet", "reservation", "address record"]
class MapPool(TypedDict):
    range: str
    start: float
    share: float
    id: int
    name: str
    depth: int
class MapRow(TypedDict):
    of: MapOfEnum
    name: str
    old: str
    new: str
    wave: str
    state: MoveStateEnum
    subnet: str
class MapStart(TypedDict):
    realm: str
    pool: str
    range: str
class MapStep(TypedDict):
    id: int
    name: str
    range: str
class Meanwhile(TypedDict):
    address: str
    begins: str
    ends: str | None
class Meeting(TypedDict):
    one: Named
    other: Named
    clashes: ClashCounts
    addresses: str
    lines: list[ClashLine]
    more_lines: int
    shares: list[HandsOut]
    more_shares: int
    strips: list[Strip]
class MeetingInGraph(TypedDict):
    one: str
    other: str
    linked: bool
    clashes: int
class Meetings(TypedDict):
    meetings: list[Meeting]
class Mended(TypedDict):
    mended: list[str]
class Met(TypedDict):
    range: str
    state: str
    pool: NotRequired[str]
    addresses: str
    owner: NotRequired[str]
    id: NotRequired[int]
    project: NotRequired[str]
    zone: NotRequired[str | None]
    region: NotRequired[str | None]
    tier: NotRequired[str]
    until: NotRequired[str]
    keep_out: NotRequired[int]
    reservation: NotRequired[int]
    reason: NotRequired[str]
    service: NotRequired[str]
    kind: NotRequired[str]
    how: str
    realm: str
class Move(TypedDict):
    kind: str
    owner: str
    was: str
    lands: str
class MoveCounts(TypedDict):
    planned: int
    moving: int
    finished: int
    turned_back: int
class MoveOf(TypedDict):
    id: int
    of: MoveOfEnum
    name: str
    wave: NotRequired[str]
    state: MoveStateEnum
    project: str
    zone: str
    tier: str
    old: MoveSide
    new: MoveSide
    kept: bool
    checks: list[Tick]
    hosts: int
    left: int
    begun_at: NotRequired[str | None]
    ended_at: NotRequired[str | None]
MoveOfEnum = Literal["subnet", "reservation"]
class MoveProgress(TypedDict):
    wave: str
    zone: str
    tier: str
    moves: int
    planned: int
    moving: int
    finished: int
    hosts: int
    moved: int
class MoveSide(TypedDict):
    id: int
    ranges: list[str]
MoveStateEnum = Literal["planned", "moving", "finished", "turned back"]
class MovedAddress(TypedDict):
    name: str
    old: str
    new: str
class MovedBlock(TypedDict):
    prefix: str
    addresses: str
    subnet: Named
    project: str
    zone: str | None
    tier: str
class Named(TypedDict):
    id: int
    name: str
NamesEndEnum = Literal["given back", "cooled"]
class NeedRequest(TypedDict):
    name: str
    hosts: NotRequired[int]
    growth: NotRequired[int]
    length: NotRequired[int]
    zone: NotRequired[str]
class NewAddressRequest(TypedDict):
    name: NotRequired[str | None]
    address: NotRequired[str | None]
    count: NotRequired[int]
    family: NotRequired[FamilyEnum]
    kind: NotRequired[AddressKindEnum]
    mac: NotRequired[str | None]
    purpose: NotRequired[str]
    service: NotRequired[str]
    secondary: NotRequired[bool]
    aliases: NotRequired[list[str]]
    pair: NotRequired[bool]
class NewAddressesRequest(TypedDict):
    name: NotRequired[str | None]
    address: NotRequired[str | None]
    count: NotRequired[int]
    family: NotRequired[FamilyEnum]
    kind: NotRequired[AddressKindEnum]
    mac: NotRequired[str | None]
    purpose: NotRequired[str]
    service: NotRequired[str]
    secondary: NotRequired[bool]
    aliases: NotRequired[list[str]]
    pair: NotRequired[bool]
    records: NotRequired[list[NewAddressRequest]]
    proposal: NotRequired[str | None]
class NewRangeRequest(TypedDict):
    range: NotRequired[str]
    family: NotRequired[FamilyEnum]
    length: NotRequired[int]
    proposal: NotRequired[str | None]
NumberingEnum = Literal["number", "tag"]
class Offence(TypedDict):
    rule: int
    what: str
    where: str
class OpenSession(TypedDict):
    id: int
    person: Named
    begun_at: str
    peer: str
    agent: str
class Options(TypedDict):
    columns: NotRequired[dict[str, str]]
    set: NotRequired[dict[str, str]]
    values: NotRequired[dict[str, dict[str, str]]]
    labels: NotRequired[list[str]]
    sheet: NotRequired[str]
    encoding: NotRequired[str]
    realm: NotRequired[str]
    pool: NotRequired[str]
    outer: NotRequired[OuterEnum]
    make_missing: NotRequired[bool]
    update: NotRequired[bool]
class OptionsRequest(TypedDict):
    columns: NotRequired[dict[str, str]]
    set: NotRequired[dict[str, str]]
    values: NotRequired[dict[str, dict[str, str]]]
    labels: NotRequired[list[str]]
    sheet: NotRequired[str]
    encoding: NotRequired[str]
    realm: NotRequired[str]
    pool: NotRequired[str]
    outer: NotRequired[OuterEnum]
    make_missing: NotRequired[bool]
    update: NotRequired[bool]
OriginEnum = Literal["own", "provider"]
OutcomeEnum = Literal["new", "pool", "same", "differs", "refused"]
OuterEnum = Literal["pools"]
class OwnMailRequest(TypedDict):
    email: NotRequired[str]
    mail: NotRequired[MailEnum]
    proposal: NotRequired[str | None]
class PackQueryRequest(TypedDict):
    sheet: NotRequired[str]
    pool: NotRequired[str]
    needs: list[NeedRequest]
    inside: NotRequired[str]
    realm: NotRequired[str]
    family: NotRequired[FamilyEnum]
    as_plan: NotRequired[AsPlanRequest]
class Packed(TypedDict):
    sized: list[Sized]
    least: str
    total: str
    left: list[str]
    left_over: str | None
    plan: str | None
class Paired(TypedDict):
    subnet: dict[str, Any]
    block: str
class Part(TypedDict):
    first: str
    last: str
    usable: str
    first_usable: str | None
    last_usable: str | None
    prefix: str
    name: str | None
    zone: str | None
    taken_by: str | None
class PartRequest(TypedDict):
    wave: NotRequired[str]
    subnets: NotRequired[list[str | int | dict[str, Any]]]
    proposal: NotRequired[str | None]
class PassOnRequest(TypedDict):
    to: str | int | dict[str, Any] | None
    proposal: NotRequired[str | None]
PasswordEnum = Literal["everybody", "admins", "nobody"]
class PasswordRequest(TypedDict):
    current: str
    new: str
    revoke_tokens: NotRequired[bool]
    proposal: NotRequired[str | None]
class PatchedAddressEditRequest(TypedDict):
    name: NotRequired[str]
    kind: NotRequired[AddressKindEnum]
    mac: NotRequired[str | None]
    secondary: NotRequired[bool]
    purpose: NotRequired[str]
    aliases: NotRequired[list[str]]
    proposal: NotRequired[str | None]
class PatchedApprovalRuleRequest(TypedDict):
    name: NotRequired[str]
    decision: NotRequired[DecisionEnum]
    place: NotRequired[int]
    when: NotRequired[ApprovalRuleWhenEnum]
    limit: NotRequired[int | None]
    limit_v6: NotRequired[int | None]
    hours: NotRequired[str]
    time_zone: NotRequired[str]
    realm: NotRequired[str | int | dict[str, Any] | None]
    pool: NotRequired[str | int | dict[str, Any] | None]
    project: NotRequired[str | int | dict[str, Any] | None]
    tier: NotRequired[str | int | dict[str, Any] | None]
    environment: NotRequired[EnvironmentEnum | BlankEnum]
    holds: NotRequired[bool]
    reminds_after: NotRequired[int]
    lapses_after: NotRequired[int]
    about: NotRequired[str]
    proposal: NotRequired[str | None]
class PatchedDnsRecordRequest(TypedDict):
    dns_zone: NotRequired[str | int | dict[str, Any]]
    owner: NotRequired[str]
    type: NotRequired[DnsRecordTypeEnum]
    data: NotRequired[str]
    ttl: NotRequired[int | None]
    about: NotRequired[str]
    proposal: NotRequired[str | None]
class PatchedDnsZoneRequest(TypedDict):
    name: NotRequired[str]
    realm: NotRequired[str | int | dict[str, Any]]
    project: NotRequired[str | int | dict[str, Any] | None]
    delegated: NotRequired[bool]
    primary: NotRequired[str]
    contact: NotRequired[str]
    servers: NotRequired[list[str]]
    ds: NotRequired[list[str]]
    ttl: NotRequired[int]
    negative_ttl: NotRequired[int]
    host_names: NotRequired[str]
    gateway_names: NotRequired[str]
    edge_names: NotRequired[str]
    public_names: NotRequired[str]
    names_end: NotRequired[NamesEndEnum]
    address: NotRequired[str]
    credential: NotRequired[str]
    every: NotRequired[int | None]
    about: NotRequired[str]
    proposal: NotRequired[str | None]
class PatchedEditIntakeRequest(TypedDict):
    options: NotRequired[OptionsRequest]
    cells: NotRequired[list[CellsRequest]]
    proposal: NotRequired[str | None]
class PatchedGroupMappingRequest(TypedDict):
    group: NotRequired[str]
    role: NotRequired[RoleEnum]
    project: NotRequired[str | int | dict[str, Any] | None]
    about: NotRequired[str]
    proposal: NotRequired[str | None]
class PatchedKeepOutRequest(TypedDict):
    realm: NotRequired[str | int | dict[str, Any]]
    range: NotRequired[str]
    kind: NotRequired[KeepOutKindEnum]
    reason: NotRequired[str]
    source: NotRequired[str]
    since: NotRequired[str | None]
    certainty: NotRequired[CertaintyEnum]
    review_on: NotRequired[str | None]
    despite_use: NotRequired[bool]
    proposal: NotRequired[str | None]
class PatchedLinkRequest(TypedDict):
    name: NotRequired[str]
    one: NotRequired[str | int | dict[str, Any]]
    other: NotRequired[str | int | dict[str, Any]]
    kind: NotRequired[LinkKindEnum]
    one_shows: NotRequired[list[str]]
    other_shows: NotRequired[list[str]]
    one_gives: NotRequired[list[str]]
    other_gives: NotRequired[list[str]]
    passes_on: NotRequired[bool]
    since: NotRequired[str | None]
    reason: NotRequired[str]
    about: NotRequired[str]
    proposal: NotRequired[str | None]
class PatchedPersonRequest(TypedDict):
    name: NotRequired[str]
    full_name: NotRequired[str]
    role: NotRequired[RoleEnum]
    active: NotRequired[bool]
    email: NotRequired[str]
    mail: NotRequired[MailEnum]
    needs_second_factor: NotRequired[bool]
    projects: NotRequired[list[str | int | dict[str, Any]]]
    service_of: NotRequired[str | int | dict[str, Any] | None]
    password: NotRequired[str]
    proposal: NotRequired[str | None]
class PatchedPlannedNeedRequest(TypedDict):
    name: NotRequired[str]
    pool: NotRequired[str | int | dict[str, Any]]
    family: NotRequired[int]
    length: NotRequired[int]
    count: NotRequired[int]
    day: NotRequired[str]
    project: NotRequired[str | int | dict[str, Any] | None]
    reason: NotRequired[str]
    proposal: NotRequired[str | None]
class PatchedPoolRequest(TypedDict):
    realm: NotRequired[str | int | dict[str, Any]]
    name: NotRequired[str]
    parent: NotRequired[str | int | dict[str, Any] | None]
    sheet: NotRequired[str | int | dict[str, Any]]
    region: NotRequired[str | int | dict[str, Any] | None]
    zone: NotRequired[str | int | dict[str, Any] | None]
    project: NotRequired[str | int | dict[str, Any] | None]
    origin: NotRequired[OriginEnum]
    exposure: NotRequired[PoolExposureEnum]
    gives: NotRequired[GivesEnum]
    about: NotRequired[str]
    cooling_days: NotRequired[int]
    warning_percent: NotRequired[int]
    critical_percent: NotRequired[int]
    placement_v4: NotRequired[PlacementEnum]
    placement_v6: NotRequired[PlacementEnum]
    shortest_v4: NotRequired[int | None]
    longest_v4: NotRequired[int | None]
    unit_v6: NotRequired[int]
    keeps_out_seen: NotRequired[bool]
    origin_as: NotRequired[int | None]
    announced_v4: NotRequired[int | None]
    announced_v6: NotRequired[int | None]
    ranges: NotRequired[list[str]]
    lengths: NotRequired[list[LengthRequest]]
    placement: NotRequired[PlacementEnum]
    proposal: NotRequired[str | None]
class PatchedProjectRequest(TypedDict):
    name: NotRequired[str]
    title: NotRequired[str]
    contact: NotRequired[str]
    environment: NotRequired[EnvironmentEnum]
    home_region: NotRequired[str | int | dict[str, Any] | None]
    cost_centre: NotRequired[str]
    labels: NotRequired[dict[str, str]]
    proposal: NotRequired[str | None]
class PatchedQuotaRequest(TypedDict):
    project: NotRequired[str | int | dict[str, Any]]
    realm: NotRequired[str | int | dict[str, Any] | None]
    region: NotRequired[str | int | dict[str, Any] | None]
    pool: NotRequired[str | int | dict[str, Any] | None]
    subnets: NotRequired[int | None]
    v4_addresses: NotRequired[int | None]
    v6_units: NotRequired[int | None]
    public_addresses: NotRequired[int | None]
    tags: NotRequired[int | None]
    records: NotRequired[int | None]
    about: NotRequired[str]
    proposal: NotRequired[str | None]
class PatchedRealmRequest(TypedDict):
    name: NotRequired[str]
    about: NotRequired[str]
    private_only: NotRequired[bool]
    published: NotRequired[bool]
    operator: NotRequired[str]
    operator_contact: NotRequired[str]
    name_template: NotRequired[str]
    name_pattern: NotRequired[str]
    pool_template: NotRequired[str]
    reservation_template: NotRequired[str]
    plan_template: NotRequired[str]
    address_template: NotRequired[str]
    proposal: NotRequired[str | None]
class PatchedRegionRequest(TypedDict):
    name: NotRequired[str]
    zones_per_project: NotRequired[int | None]
    country: NotRequired[str]
    subdivision: NotRequired[str]
    city: NotRequired[str]
    postal_code: NotRequired[str]
    about: NotRequired[str]
    proposal: NotRequired[str | None]
class PatchedReservationRequest(TypedDict):
    name: NotRequired[str]
    pool: NotRequired[str | int | dict[str, Any]]
    family: NotRequired[FamilyEnum]
    range: NotRequired[str]
    kind: NotRequired[ReservationKindEnum]
    reason: NotRequired[str]
    service: NotRequired[str]
    ends_at: NotRequired[str | None]
    projects: NotRequired[list[str | int | dict[str, Any]]]
    tiers: NotRequired[list[str | int | dict[str, Any]]]
    length: NotRequired[int]
    hosts: NotRequired[int]
    growth: NotRequired[int]
    placement: NotRequired[PlacementEnum]
    proposal: NotRequired[str | None]
class PatchedSheetRequest(TypedDict):
    name: NotRequired[str]
    about: NotRequired[str]
    v4: NotRequired[FamilyRulesRequest | None]
    v6: NotRequired[FamilyRulesRequest | None]
    ipv6_needs_ipv4: NotRequired[bool]
    tag_needed: NotRequired[bool]
    dhcp: NotRequired[bool]
    workloads_min: NotRequired[int]
    workloads_max: NotRequired[int]
    workloads: NotRequired[int]
    dhcp_service: NotRequired[bool]
    gateway: NotRequired[GatewayEnum]
    zones: NotRequired[int | None]
    forbidden: NotRequired[list[str]]
    hd_threshold: NotRequired[str]
    proposal: NotRequired[str | None]
class PatchedSourceRequest(TypedDict):
    name: NotRequired[str]
    realm: NotRequired[str | int | dict[str, Any]]
    kind: NotRequired[SourceKindEnum]
    address: NotRequired[str]
    parts: NotRequired[list[str]]
    takes: NotRequired[list[TakesEnum]]
    credential: NotRequired[str]
    every: NotRequired[int | None]
    follows: NotRequired[bool]
    covers: NotRequired[list[str]]
    every_address: NotRequired[bool]
    good_for: NotRequired[int]
    about: NotRequired[str]
    proposal: NotRequired[str | None]
class PatchedSubnetEditRequest(TypedDict):
    name: NotRequired[str]
    purpose: NotRequired[str]
    notes: NotRequired[str]
    labels: NotRequired[dict[str, str]]
    hosts: NotRequired[int | None]
    growth: NotRequired[int]
    service: NotRequired[str]
    tag: NotRequired[int | str | None]
    outer_tag: NotRequired[int]
    gateway: NotRequired[str]
    dhcp: NotRequired[list[str]]
    dhcp_excluded: NotRequired[list[str]]
    dhcp_service: NotRequired[str]
    ipv6_hosts: NotRequired[Ipv6HostsEnum | BlankEnum]
    name_servers: NotRequired[list[str]]
    dns_suffix: NotRequired[str]
    exposure: NotRequired[ExposureEnum | BlankEnum]
    proposal: NotRequired[str | None]
class PatchedSubscriptionRequest(TypedDict):
    name: NotRequired[str]
    endpoint: NotRequired[str]
    kinds: NotRequired[list[str]]
    verbs: NotRequired[list[str]]
    realms: NotRequired[list[str | int | dict[str, Any]]]
    projects: NotRequired[list[str | int | dict[str, Any]]]
    about: NotRequired[str]
    secret: NotRequired[str]
    proposal: NotRequired[str | None]
class PatchedTagMemberRequest(TypedDict):
    subnet: NotRequired[str | int | dict[str, Any]]
    name: NotRequired[str]
    kind: NotRequired[TagMemberKindEnum]
    tag: NotRequired[int | None]
    outer_tag: NotRequired[int]
    about: NotRequired[str]
    proposal: NotRequired[str | None]
class PatchedTagRangeRequest(TypedDict):
    first: NotRequired[int]
    last: NotRequired[int]
    zone: NotRequired[str | int | dict[str, Any] | None]
    region: NotRequired[str | int | dict[str, Any] | None]
    tier: NotRequired[str | int | dict[str, Any] | None]
    forbidden: NotRequired[bool]
    purpose: NotRequired[str]
    proposal: NotRequired[str | None]
class PatchedTakingRuleRequest(TypedDict):
    name: NotRequired[str]
    realm: NotRequired[str | int | dict[str, Any]]
    source: NotRequired[str | int | dict[str, Any] | None]
    project: NotRequired[str | int | dict[str, Any] | None]
    becomes: NotRequired[TakenAsEnum]
    about: NotRequired[str]
    proposal: NotRequired[str | None]
class PatchedTierRequest(TypedDict):
    name: NotRequired[str]
    exposure: NotRequired[ExposureEnum]
    host_names: NotRequired[str]
    about: NotRequired[str]
    proposal: NotRequired[str | None]
class PatchedWaitingRequestRequest(TypedDict):
    reason: NotRequired[str]
    needed_by: NotRequired[str | None]
    links: NotRequired[list[str]]
    proposal: NotRequired[str | None]
class PatchedZoneRequest(TypedDict):
    name: NotRequired[str]
    region: NotRequired[str | int | dict[str, Any]]
    site: NotRequired[SiteEnum | BlankEnum]
    physical: NotRequired[str]
    country: NotRequired[str]
    subdivision: NotRequired[str]
    city: NotRequired[str]
    postal_code: NotRequired[str]
    about: NotRequired[str]
    proposal: NotRequired[str | None]
class PauseRequest(TypedDict):
    reason: NotRequired[str]
    proposal: NotRequired[str | None]
class Person(TypedDict):
    id: int
    version: int
    name: str
    full_name: NotRequired[str]
    role: RoleEnum
    active: NotRequired[bool]
    email: NotRequired[str]
    mail: NotRequired[MailEnum]
    needs_second_factor: NotRequired[bool]
    second_factor: bool
    sign_on: str
    projects: NotRequired[list[Named]]
    service_of: NotRequired[Named | None]
    failed_sign_ins: int
    locked_until: str | None
class PersonRequest(TypedDict):
    name: str
    full_name: NotRequired[str]
    role: RoleEnum
    active: NotRequired[bool]
    email: NotRequired[str]
    mail: NotRequired[MailEnum]
    needs_second_factor: NotRequired[bool]
    projects: NotRequired[list[str | int | dict[str, Any]]]
    service_of: NotRequired[str | int | dict[str, Any] | None]
    password: NotRequired[str]
    proposal: NotRequired[str | None]
PhaseEnum = Literal["before", "during", "after"]
PlacementEnum = Literal["snug", "low", "roomy"]
class Plan(TypedDict):
    id: int
    version: int
    name: str
    realm: Named
    project: Named
    state: PlanStateEnum
    ends_at: NotRequired[str | None]
    changed_at: str
    document: dict[str, Any]
    source: NotRequired[str]
class PlanBlock(TypedDict):
    slot: str
    change: str
    zone: str | None
    tier: str
    name: str
    blocks: list[str]
    room: list[str]
    usable: str | None
    gateway: str
    tag: int | None
    id: int | None
class PlanFinding(TypedDict):
    where: str
    text: str
    consequence: str
    code: str
    suggestions: list[str]
class PlanInRequest(TypedDict):
    text: NotRequired[str]
    document: NotRequired[dict[str, Any]]
    proposal: NotRequired[str | None]
    hold_minutes: NotRequired[int | None]
    give_back: NotRequired[bool]
    despite_use: NotRequired[bool]
class PlanReserving(TypedDict):
    pool: Named
    range: str
    kind: str
    zone: str
PlanStateEnum = Literal["held", "committed"]
class PlanUsage(TypedDict):
    pool: Named
    family: int
    before_percent: float
    after_percent: float
    total: str
    free_before: str
    free_after: str
    largest_free_before: str | None
    largest_free_after: str | None
class PlannedNeed(TypedDict):
    id: int
    version: int
    name: str
    pool: Named
    family: NotRequired[int]
    length: int
    count: NotRequired[int]
    day: str
    project: NotRequired[Named | None]
    reason: str
    plan: str
    addresses: str
class PlannedNeedRequest(TypedDict):
    name: str
    pool: str | int | dict[str, Any]
    family: NotRequired[int]
    length: int
    count: NotRequired[int]
    day: str
    project: NotRequired[str | int | dict[str, Any] | None]
    reason: str
    proposal: NotRequired[str | None]
class Pointer(TypedDict):
    kind: str
    object: str
    attribute: str
class Pool(TypedDict):
    id: int
    version: int
    realm: NotRequired[Named]
    name: NotRequired[str]
    parent: NotRequired[Named | None]
    sheet: NotRequired[Named]
    sheet_inherited: bool
    region: NotRequired[Named | None]
    zone: NotRequired[Named | None]
    project: NotRequired[Named | None]
    origin: NotRequired[OriginEnum]
    exposure: NotRequired[PoolExposureEnum]
    gives: NotRequired[GivesEnum]
    about: NotRequired[str]
    cooling_days: NotRequired[int]
    warning_percent: NotRequired[int]
    critical_percent: NotRequired[int]
    placement_v4: NotRequired[PlacementEnum]
    placement_v6: NotRequired[PlacementEnum]
    shortest_v4: NotRequired[int | None]
    longest_v4: NotRequired[int | None]
    unit_v6: NotRequired[int]
    keeps_out_seen: NotRequired[bool]
    origin_as: NotRequired[int | None]
    announced_v4: NotRequired[int | None]
    announced_v6: NotRequired[int | None]
    numbering_v6: str
    numbering_within: str
    ranges: NotRequired[list[str]]
class PoolBeside(TypedDict):
    pool: Named
    family: int
    before_percent: float
    after_percent: float
    warning_percent: int
    critical_percent: int
    full_on: str | None
PoolExposureEnum = Literal["private", "public"]
class PoolHeadroom(TypedDict):
    family: int
    used: str
    per_month: str | None
    no_forecast: str | None
    window_days: int
    confidence_percent: int
    readings: list[TakenReading]
    fan: list[Fan]
    total: str
    used_percent: float
    warning_percent: int
    critical_percent: int
    thresholds: list[Threshold]
    lengths: list[LengthHeadroom]
    steps: list[Step]
class PoolRequest(TypedDict):
    realm: NotRequired[str | int | dict[str, Any]]
    name: NotRequired[str]
    parent: NotRequired[str | int | dict[str, Any] | None]
    sheet: NotRequired[str | int | dict[str, Any]]
    region: NotRequired[str | int | dict[str, Any] | None]
    zone: NotRequired[str | int | dict[str, Any] | None]
    project: NotRequired[str | int | dict[str, Any] | None]
    origin: NotRequired[OriginEnum]
    exposure: NotRequired[PoolExposureEnum]
    gives: NotRequired[GivesEnum]
    about: NotRequired[str]
    cooling_days: NotRequired[int]
    warning_percent: NotRequired[int]
    critical_percent: NotRequired[int]
    placement_v4: NotRequired[PlacementEnum]
    placement_v6: NotRequired[PlacementEnum]
    shortest_v4: NotRequired[int | None]
    longest_v4: NotRequired[int | None]
    unit_v6: NotRequired[int]
    keeps_out_seen: NotRequired[bool]
    origin_as: NotRequired[int | None]
    announced_v4: NotRequired[int | None]
    announced_v6: NotRequired[int | None]
    ranges: NotRequired[list[str]]
    lengths: NotRequired[list[LengthRequest]]
    placement: NotRequired[PlacementEnum]
    proposal: NotRequired[str | None]
class PoolSeen(TypedDict):
    family: int
    blocks: int
    addresses: str
    seen_blocks: int
    seen: str
    quiet: str
class PoolUsage(TypedDict):
    pool: Named
    realm: Named
    parent: Named | None
    region: Named | None
    zone: Named | None
    carved: int
    warning_percent: int
    critical_percent: int
    own: list[Usage]
    with_carved: list[Usage]
class Project(TypedDict):
    id: int
    version: int
    name: str
    title: NotRequired[str]
    contact: NotRequired[str]
    environment: NotRequired[EnvironmentEnum]
    home_region: NotRequired[Named | None]
    cost_centre: NotRequired[str]
    labels: NotRequired[dict[str, str]]
class ProjectGrid(TypedDict):
    project: Named
    zones: list[str]
    tiers: list[str]
    cells: list[GridCell]
class ProjectRequest(TypedDict):
    name: str
    title: NotRequired[str]
    contact: NotRequired[str]
    environment: NotRequired[EnvironmentEnum]
    home_region: NotRequired[str | int | dict[str, Any] | None]
    cost_centre: NotRequired[str]
    labels: NotRequired[dict[str, str]]
    proposal: NotRequired[str | None]
class ProjectTotals(TypedDict):
    pools: int
    reservations: int
    plans: int
    planned_needs: int
    subnets: dict[str, int]
    blocks: list[HeldBlocks]
    public: PublicUse
    quotas: list[Quota]
class ProposedEstate(TypedDict):
    possible: bool
    changes: bool
    counts: dict[str, dict[str, int]]
    entries: list[EstateEntry]
class ProposedPlan(TypedDict):
    plan: Plan | None
    possible: bool
    counts: dict[str, int]
    blocks: list[PlanBlock]
    reserving: list[PlanReserving]
    usage: list[PlanUsage]
    notes: list[PlanFinding]
    errors: list[PlanFinding]
    ends_at: str | None
class PublicOf(TypedDict):
    id: int
    name: str
    address: str
    how: str
class PublicUse(TypedDict):
    project: Named
    quota: int | None
    held: int
    attached: int
    idle: int
    left: int | None
class PushRequest(TypedDict):
    overwrite: NotRequired[bool]
    proposal: NotRequired[str | None]
class Question(TypedDict):
    name: str
    label: str
    usual: str
    help: str
class Quota(TypedDict):
    id: int
    version: int
    name: str
    project: Named
    realm: NotRequired[Named | None]
    region: NotRequired[Named | None]
    pool: NotRequired[Named | None]
    subnets: NotRequired[int | None]
    v4_addresses: NotRequired[int | None]
    v6_units: NotRequired[int | None]
    public_addresses: NotRequired[int | None]
    tags: NotRequired[int | None]
    records: NotRequired[int | None]
    about: NotRequired[str]
    use: list[QuotaUse]
class QuotaRequest(TypedDict):
    project: str | int | dict[str, Any]
    realm: NotRequired[str | int | dict[str, Any] | None]
    region: NotRequired[str | int | dict[str, Any] | None]
    pool: NotRequired[str | int | dict[str, Any] | None]
    subnets: NotRequired[int | None]
    v4_addresses: NotRequired[int | None]
    v6_units: NotRequired[int | None]
    public_addresses: NotRequired[int | None]
    tags: NotRequired[int | None]
    records: NotRequired[int | None]
    about: NotRequired[str]
    proposal: NotRequired[str | None]
class QuotaUse(TypedDict):
    what: QuotaUseWhatEnum
    words: str
    limit: int
    used: int
    left: int
    reached_on: str | None
    no_forecast: str | None
class QuotaUseRequest(TypedDict):
    what: QuotaUseWhatEnum
    words: str
    limit: int
    used: int
    left: int
    reached_on: str | None
    no_forecast: str | None
QuotaUseWhatEnum = Literal["subnets", "v4_addresses", "v6_units", "public_addresses", "tags", "records"]
class RangeChanged(TypedDict):
    pool: Pool
    moves: list[Move]
class RangeOutRequest(TypedDict):
    range: str
    proposal: NotRequired[str | None]
class RangeSize(TypedDict):
    family: int
    length: int
    unit: int
    holds: str
    needed: str
    spare: str
    why_not_smaller: str
    sheet: str
ReachEnum = Literal["isolated", "inside", "outward", "outside"]
class Realm(TypedDict):
    id: int
    version: int
    name: str
    about: NotRequired[str]
    private_only: NotRequired[bool]
    published: NotRequired[bool]
    operator: NotRequired[str]
    operator_contact: NotRequired[str]
    name_template: NotRequired[str]
    name_pattern: NotRequired[str]
    pool_template: NotRequired[str]
    reservation_template: NotRequired[str]
    plan_template: NotRequired[str]
    address_template: NotRequired[str]
class RealmGraph(TypedDict):
    realms: list[RealmInGraph]
    links: list[LinkInGraph]
    meetings: list[MeetingInGraph]
class RealmInGraph(TypedDict):
    id: int
    name: str
    pools: int
    clashes: int
class RealmRequest(TypedDict):
    name: str
    about: NotRequired[str]
    private_only: NotRequired[bool]
    published: NotRequired[bool]
    operator: NotRequired[str]
    operator_contact: NotRequired[str]
    name_template: NotRequired[str]
    name_pattern: NotRequired[str]
    pool_template: NotRequired[str]
    reservation_template: NotRequired[str]
    plan_template: NotRequired[str]
    address_template: NotRequired[str]
    proposal: NotRequired[str | None]
class RecordThere(TypedDict):
    id: int
    address: str
    name: str
    kind: str
    mac: str | None
    purpose: str
    subnet: Named
    public: list[PublicOf]
class Recovery(TypedDict):
    recovery: list[str]
class RefuseRequest(TypedDict):
    reason: str
    proposal: NotRequired[str | None]
class Region(TypedDict):
    id: int
    version: int
    name: str
    zones_per_project: NotRequired[int | None]
    country: NotRequired[str]
    subdivision: NotRequired[str]
    city: NotRequired[str]
    postal_code: NotRequired[str]
    about: NotRequired[str]
class RegionRequest(TypedDict):
    name: str
    zones_per_project: NotRequired[int | None]
    country: NotRequired[str]
    subdivision: NotRequired[str]
    city: NotRequired[str]
    postal_code: NotRequired[str]
    about: NotRequired[str]
    proposal: NotRequired[str | None]
class ReleaseRequest(TypedDict):
    at_once: NotRequired[bool]
    despite_use: NotRequired[bool]
    proposal: NotRequired[str | None]
class RemovePlanRequest(TypedDict):
    give_back: NotRequired[bool]
    despite_use: NotRequired[bool]
    proposal: NotRequired[str | None]
class Renumbering(TypedDict):
    id: int
    version: int
    name: str
    realm: Named
    state: RenumberingStateEnum
    source: str
    target: str
    waves: WavesEnum
    vacated: list[str]
    by: str | None
    reason: NotRequired[str]
    created_at: str
    closed_at: str | None
class RenumberingProgress(TypedDict):
    counts: MoveCounts
    hosts: HostCounts
    rows: list[MoveProgress]
    checks: list[ChecksDone]
    held_up: list[HeldUp]
    held_up_count: int
    likely: str | None
    late: bool
class RenumberingShown(TypedDict):
    id: int
    version: int
    name: str
    realm: Named
    state: RenumberingStateEnum
    source: str
    target: str
    waves: WavesEnum
    vacated: list[str]
    by: str | None
    reason: NotRequired[str]
    created_at: str
    closed_at: str | None
    progress: RenumberingProgress
RenumberingStateEnum = Literal["moving", "finished", "turned back"]
class ReplaceRequest(TypedDict):
    pool: NotRequired[str | int | dict[str, Any]]
    zone: NotRequired[str | int | dict[str, Any]]
    region: NotRequired[str | int | dict[str, Any]]
    tier: NotRequired[str | int | dict[str, Any]]
    hosts: NotRequired[int]
    growth: NotRequired[int]
    length: NotRequired[int]
    prefix: NotRequired[str]
    placement: NotRequired[PlacementEnum]
    room: NotRequired[int]
    name: NotRequired[str]
    tag: NotRequired[int | str]
    proposal: NotRequired[str | None]
class Reservation(TypedDict):
    id: int
    version: int
    name: NotRequired[str]
    realm: Named
    pool: Named
    family: NotRequired[FamilyEnum]
    range: NotRequired[str]
    left: list[str]
    kind: NotRequired[ReservationKindEnum]
    reason: str
    service: NotRequired[str]
    ends_at: NotRequired[str | None]
    projects: NotRequired[list[Named]]
    tiers: NotRequired[list[Named]]
    zone: Named | None
    plan: Named | None
    created_at: str
ReservationKindEnum = Literal["transit", "gateways", "balancers", "cluster", "management", "future zone", "future tier", "other"]
class ReservationRequest(TypedDict):
    name: NotRequired[str]
    pool: str | int | dict[str, Any]
    family: NotRequired[FamilyEnum]
    range: NotRequired[str]
    kind: NotRequired[ReservationKindEnum]
    reason: str
    service: NotRequired[str]
    ends_at: NotRequired[str | None]
    projects: NotRequired[list[str | int | dict[str, Any]]]
    tiers: NotRequired[list[str | int | dict[str, Any]]]
    length: NotRequired[int]
    hosts: NotRequired[int]
    growth: NotRequired[int]
    placement: NotRequired[PlacementEnum]
    proposal: NotRequired[str | None]
class ResumeRequest(TypedDict):
    after: NotRequired[int]
    proposal: NotRequired[str | None]
class ReverseZonesMade(TypedDict):
    dns_zones: list[DnsZone]
class ReverseZonesRequest(TypedDict):
    realm: str | int | dict[str, Any]
    ranges: NotRequired[list[str]]
    like: NotRequired[str | int | dict[str, Any] | None]
    delegated: NotRequired[bool]
    project: NotRequired[str | int | dict[str, Any] | None]
    primary: NotRequired[str]
    contact: NotRequired[str]
    servers: NotRequired[list[str]]
    ds: NotRequired[list[str]]
    about: NotRequired[str]
    proposal: NotRequired[str | None]
RoleEnum = Literal["viewer", "requester", "planner", "admin"]
class RoomFor(TypedDict):
    family: int
    length: int
    count: str
    pools: list[Named]
class RoomRequest(TypedDict):
    doublings: int
    proposal: NotRequired[str | None]
class RotateRequest(TypedDict):
    overlap_hours: NotRequired[int]
    expires_at: NotRequired[str | None]
    proposal: NotRequired[str | None]
class RouteRow(TypedDict):
    phase: PhaseEnum
    family: FamilyEnum
    range: str
class RuleRow(TypedDict):
    wave: str
    when: RuleRowWhenEnum
    action: RuleRowActionEnum
    range: str
RuleRowActionEnum = Literal["add", "take out"]
RuleRowWhenEnum = Literal["now", "at the end"]
class Said(TypedDict):
    at: str
    by: str
    what: str
    text: str
class SayRequest(TypedDict):
    text: str
    proposal: NotRequired[str | None]
ScopesEnum = Literal["read", "ask", "give-back", "plan", "set-up"]
class Search(TypedDict):
    range: str | None
    places: list[Whereabouts]
    records: list[Found]
class SecondFamilyAdded(TypedDict):
    paired: list[Paired]
class SecondFamilyRequest(TypedDict):
    within: NotRequired[str]
    numbering: NotRequired[NumberingEnum]
    subnets: NotRequired[list[str | int | dict[str, Any]]]
    proposal: NotRequired[str | None]
class Secret(TypedDict):
    secret: str
    uri: str
    picture: str
class Section(TypedDict):
    name: str
    title: str
    lines: list[Line]
    total: int
    empty: str
class Seen(TypedDict):
    source: str
    value: str
    at: str | None
class SeenSubnet(TypedDict):
    last_seen_at: str | None
    declared: ExposureEnum
    effective: list[Effective]
class ServiceRange(TypedDict):
    prefix: str
    default_service: str
    name_service: str
    services: str
class Serving(TypedDict):
    serial: int
    server_serial: int
    pushed_at: str | None
    due_at: str | None
    failing_since: str | None
    outcome: str
    compare_at: str | None
    compared_at: str | None
    differences: int
SettleHowEnum = Literal["take over", "put right"]
class SettleRequest(TypedDict):
    slot: str
    how: SettleHowEnum
    proposal: NotRequired[str | None]
class Settled(TypedDict):
    findings: list[Finding]
class Sheet(TypedDict):
    id: int
    version: int
    name: str
    about: NotRequired[str]
    v4: NotRequired[FamilyRules | None]
    v6: NotRequired[FamilyRules | None]
    ipv6_needs_ipv4: NotRequired[bool]
    tag_needed: NotRequired[bool]
    dhcp: NotRequired[bool]
    workloads_min: NotRequired[int]
    workloads_max: NotRequired[int]
    workloads: NotRequired[int]
    dhcp_service: NotRequired[bool]
    gateway: NotRequired[GatewayEnum]
    zones: NotRequired[int | None]
    forbidden: NotRequired[list[str]]
    hd_threshold: NotRequired[str]
class SheetRequest(TypedDict):
    name: str
    about: NotRequired[str]
    v4: NotRequired[FamilyRulesRequest | None]
    v6: NotRequired[FamilyRulesRequest | None]
    ipv6_needs_ipv4: NotRequired[bool]
    tag_needed: NotRequired[bool]
    dhcp: NotRequired[bool]
    workloads_min: NotRequired[int]
    workloads_max: NotRequired[int]
    workloads: NotRequired[int]
    dhcp_service: NotRequired[bool]
    gateway: NotRequired[GatewayEnum]
    zones: NotRequired[int | None]
    forbidden: NotRequired[list[str]]
    hd_threshold: NotRequired[str]
    proposal: NotRequired[str | None]
class ShrinkRequest(TypedDict):
    length: NotRequired[int]
    hosts: NotRequired[int]
    family: NotRequired[FamilyEnum]
    keep: NotRequired[str]
    as_room: NotRequired[bool]
    proposal: NotRequired[str | None]
class Sighting(TypedDict):
    id: int
    source: Named
    realm: Named
    range: str
    single: bool
    facts: dict[str, str]
    first_seen_at: str
    seen_at: str | None
    lost_at: str | None
class SightingsRequest(TypedDict):
    document: dict[str, Any]
    proposal: NotRequired[str | None]
class SignInRequest(TypedDict):
    name: str
    password: str
    code: NotRequired[str]
class SignOnWay(TypedDict):
    title: str
    address: str
class SignedOut(TypedDict):
    continue_at: str | None
SiteEnum = Literal["hall", "room", "edge", "cloud", "office", "other"]
class Size(TypedDict):
    family: int
    length: int
    total: str
    withheld: str
    usable: str
    needed: str
    spare: str
    why_not_smaller: str
    sheet: str
    zones: int | None
    hosts: int | None
class Sized(TypedDict):
    name: str
    zone: str | None
    block: str | None
    bounds: Bounds | None
    size: Size
class Source(TypedDict):
    id: int
    version: int
    name: str
    realm: Named
    kind: NotRequired[SourceKindEnum]
    address: NotRequired[str]
    parts: NotRequired[list[str]]
    takes: NotRequired[list[TakesEnum]]
    has_credential: bool
    every: NotRequired[int | None]
    follows: NotRequired[bool]
    covers: NotRequired[list[str]]
    every_address: NotRequired[bool]
    good_for: NotRequired[int]
    seen_at: str | None
    state: SourceStateEnum
    asked_next_at: str | None
    look: Look | None
    about: NotRequired[str]
SourceKindEnum = Literal["file", "host", "sweep", "name-server", "inventory"]
class SourceRequest(TypedDict):
    name: str
    realm: str | int | dict[str, Any]
    kind: NotRequired[SourceKindEnum]
    address: NotRequired[str]
    parts: NotRequired[list[str]]
    takes: NotRequired[list[TakesEnum]]
    credential: NotRequired[str]
    every: NotRequired[int | None]
    follows: NotRequired[bool]
    covers: NotRequired[list[str]]
    every_address: NotRequired[bool]
    good_for: NotRequired[int]
    about: NotRequired[str]
    proposal: NotRequired[str | None]
SourceStateEnum = Literal["never", "fresh", "stale", "asking", "failing"]
class SpaceMap(TypedDict):
    realm: Named
    range: str
    family: int
    slot: int
    starts: list[MapStart]
    chain: list[MapStep]
    wider: str | None
    before: str | None
    after: str | None
    quarters: list[str]
    pools: list[MapPool]
    branches: list[MapBranch]
    cells: list[MapCell]
class Split(TypedDict):
    prefix: str
    length: int
    count: int
    spare: int
    spare_addresses: str
    parts: list[Part]
    sheet: str
    free: int | None
StageEnum = Literal["near", "reached"]
class Started(TypedDict):
    id: int
    version: int
    name: str
    realm: Named
    state: RenumberingStateEnum
    source: str
    target: str
    waves: WavesEnum
    vacated: list[str]
    by: str | None
    reason: NotRequired[str]
    created_at: str
    closed_at: str | None
    moves: list[StartedMove]
class StartedMove(TypedDict):
    id: int
    of: MoveOfEnum
    name: str
    wave: NotRequired[str]
    state: MoveStateEnum
    project: str
    zone: str
    tier: str
    old: MoveSide
    new: MoveSide
    kept: bool
    checks: list[Tick]
    hosts: int
    left: int
    begun_at: NotRequired[str | None]
    ended_at: NotRequired[str | None]
    addresses: list[MovedAddress]
    carried: list[Carried]
class Step(TypedDict):
    day: str
    amount: str
    what: str
    name: str
    why: str
class Stretch(TypedDict):
    range: str
    first: str
    last: str
    purpose: str
    name: str
    addresses: str
    start: float
    share: float
    record: int | None
class Strip(TypedDict):
    range: str
    cells: list[StripCell]
class StripCell(TypedDict):
    one: float
    other: float
    clash: bool
    to: ToEnum
class Subnet(TypedDict):
    id: int
    version: int
    name: str
    state: NotRequired[SubnetStateEnum]
    realm: Named
    pool: Named
    project: Named
    region: Named | None
    zone: Named | None
    tier: Named
    blocks: list[Block]
    hosts: NotRequired[int | None]
    growth: NotRequired[int]
    purpose: NotRequired[str]
    notes: NotRequired[str]
    labels: dict[str, str]
    created_at: str
    ends_at: NotRequired[str | None]
    room: list[str]
    tag: NotRequired[int | None]
    outer_tag: NotRequired[int]
    gateway: NotRequired[str]
    dhcp: list[str]
    dhcp_excluded: list[str]
    dhcp_service: NotRequired[str]
    ipv6_hosts: NotRequired[Ipv6HostsEnum | BlankEnum]
    name_servers: list[str]
    dns_suffix: NotRequired[str]
    service: NotRequired[str]
    plan: Named | None
    plan_slot: NotRequired[str]
    replaces: Named | None
    drawn_from: Named | None
    attached_to: NotRequired[str]
    attached_at: NotRequired[str | None]
    attached_record: Named | None
    attached_how: NotRequired[TranslationEnum | BlankEnum]
    attached_for: NotRequired[str]
    exposure: ExposureEnum | BlankEnum
    seen: SeenSubnet | None
class SubnetRequest(TypedDict):
    pool: NotRequired[str | int | dict[str, Any] | None]
    project: str | int | dict[str, Any]
    tier: str | int | dict[str, Any]
    zone: NotRequired[str | int | dict[str, Any] | None]
    region: NotRequired[str | int | dict[str, Any] | None]
    families: NotRequired[list[FamilyEnum]]
    hosts: NotRequired[int | None]
    growth: NotRequired[int]
    length: NotRequired[int | None]
    prefix: NotRequired[str | None]
    count: NotRequired[int]
    placement: NotRequired[PlacementEnum | None]
    beside: NotRequired[str | None]
    despite_unsure: NotRequired[bool]
    away_from: NotRequired[list[str]]
    name: NotRequired[str | None]
    purpose: NotRequired[str]
    notes: NotRequired[str]
    labels: NotRequired[dict[str, str]]
    room: NotRequired[int]
    reservation: NotRequired[str | int | dict[str, Any] | None]
    service: NotRequired[str]
    tag: NotRequired[int | str | None]
    outer_tag: NotRequired[int]
    gateway: NotRequired[GatewayEnum]
    hold_minutes: NotRequired[int | None]
    proposal: NotRequired[str | None]
SubnetStateEnum = Literal["held", "active", "retiring", "cooling"]
class Subscription(TypedDict):
    id: int
    version: int
    name: str
    endpoint: str
    kinds: NotRequired[list[str]]
    verbs: NotRequired[list[str]]
    realms: NotRequired[list[Named]]
    projects: NotRequired[list[Named]]
    paused: str
    about: NotRequired[str]
    told_secret: str | None
    sent: int
    taken: int
    taken_at: str | None
    failing_since: str | None
    tries: int
    outcome: str
class SubscriptionRequest(TypedDict):
    name: str
    endpoint: str
    kinds: NotRequired[list[str]]
    verbs: NotRequired[list[str]]
    realms: NotRequired[list[str | int | dict[str, Any]]]
    projects: NotRequired[list[str | int | dict[str, Any]]]
    about: NotRequired[str]
    secret: NotRequired[str]
    proposal: NotRequired[str | None]
class SupposedNeedRequest(TypedDict):
    family: NotRequired[FamilyEnum]
    length: int
    count: NotRequired[int]
    day: str
class Survey(TypedDict):
    id: int
    version: int
    name: str
    source: Named
    at: str
    taken_at: str
    whole: bool
    counts: SurveyCounts
class SurveyCounts(TypedDict):
    seen: int
    new: int
    gone: int
    opened: int
    closed: int
    open: int
TableEnum = Literal["subnets", "address records", "keep-outs", "reservations", "pools", "projects", "regions", "zones", "tiers"]
class TagMember(TypedDict):
    id: int
    version: int
    subnet: Named
    name: str
    kind: NotRequired[TagMemberKindEnum]
    tag: NotRequired[int | None]
    outer_tag: NotRequired[int]
    differs: bool
    about: NotRequired[str]
TagMemberKindEnum = Literal["node", "site", "end"]
class TagMemberRequest(TypedDict):
    subnet: str | int | dict[str, Any]
    name: str
    kind: NotRequired[TagMemberKindEnum]
    tag: NotRequired[int | None]
    outer_tag: NotRequired[int]
    about: NotRequired[str]
    proposal: NotRequired[str | None]
class TagRange(TypedDict):
    id: int
    version: int
    first: int
    last: int
    zone: NotRequired[Named | None]
    region: NotRequired[Named | None]
    tier: NotRequired[Named | None]
    forbidden: NotRequired[bool]
    purpose: NotRequired[str]
class TagRangeRequest(TypedDict):
    first: int
    last: int
    zone: NotRequired[str | int | dict[str, Any] | None]
    region: NotRequired[str | int | dict[str, Any] | None]
    tier: NotRequired[str | int | dict[str, Any] | None]
    forbidden: NotRequired[bool]
    purpose: NotRequired[str]
    proposal: NotRequired[str | None]
class TagSpan(TypedDict):
    id: int
    first: int
    last: int
    place: str
    tier: str | None
    forbidden: bool
    purpose: str
    used: int
    free: int
class Tags(TypedDict):
    place: Named
    outer_tag: int
    outer_tags: list[int]
    used: list[UsedTag]
    free: list[str]
    ranges: list[TagSpan]
    next: int | None
    after_last: int | None
    differing: list[Differing]
TakeAsEnum = Literal["reserve", "keep out"]
class TakeOverManyRequest(TypedDict):
    becomes: BecomesEnum
    name: NotRequired[str]
    reason: NotRequired[str]
    pool: NotRequired[str | int | dict[str, Any] | None]
    project: NotRequired[str | int | dict[str, Any] | None]
    tier: NotRequired[str | int | dict[str, Any] | None]
    zone: NotRequired[str | int | dict[str, Any] | None]
    region: NotRequired[str | int | dict[str, Any] | None]
    findings: list[int]
    proposal: NotRequired[str | None]
class TakeOverRequest(TypedDict):
    becomes: BecomesEnum
    name: NotRequired[str]
    reason: NotRequired[str]
    pool: NotRequired[str | int | dict[str, Any] | None]
    project: NotRequired[str | int | dict[str, Any] | None]
    tier: NotRequired[str | int | dict[str, Any] | None]
    zone: NotRequired[str | int | dict[str, Any] | None]
    region: NotRequired[str | int | dict[str, Any] | None]
    proposal: NotRequired[str | None]
TakenAsEnum = Literal["keep-out", "address-record"]
class TakenReading(TypedDict):
    day: str
    used: str
TakesEnum = Literal["ranges", "addresses"]
class TakingRule(TypedDict):
    id: int
    version: int
    name: str
    realm: Named
    source: NotRequired[Named | None]
    project: NotRequired[Named | None]
    becomes: NotRequired[TakenAsEnum]
    about: NotRequired[str]
class TakingRuleRequest(TypedDict):
    name: str
    realm: str | int | dict[str, Any]
    source: NotRequired[str | int | dict[str, Any] | None]
    project: NotRequired[str | int | dict[str, Any] | None]
    becomes: NotRequired[TakenAsEnum]
    about: NotRequired[str]
    proposal: NotRequired[str | None]
class Tenure(TypedDict):
    record: int
    kind: str
    realm: Named
    prefix: str
    family: int
    name: str
    state: str
    pool: Named | None
    project: Named | None
    region: Named | None
    zone: Named | None
    tier: Named | None
    subnet: Named | None
    mac: str | None
    attached_to: str
    public: list[Meanwhile]
    begins: str
    ends: str | None
    going_on: bool
    began: Hand | None
    ended: Hand | None
class TerminalRequest(TypedDict):
    name: str
    challenge: str
class Threshold(TypedDict):
    name: str
    percent: int
    reached: bool
    early: str | None
    likely: str | None
    late: str | None
ThresholdEnum = Literal["warning", "critical", "full"]
class Tick(TypedDict):
    check: CheckEnum
    by: str
    on: str
class Tier(TypedDict):
    id: int
    version: int
    name: str
    exposure: NotRequired[ExposureEnum]
    host_names: NotRequired[str]
    about: NotRequired[str]
class TierRequest(TypedDict):
    name: str
    exposure: NotRequired[ExposureEnum]
    host_names: NotRequired[str]
    about: NotRequired[str]
    proposal: NotRequired[str | None]
ToEnum = Literal["one", "other", "neither"]
class Today(TypedDict):
    role: str
    version: str
    registry_is_empty: bool
    sections: list[Section]
class Token(TypedDict):
    id: int
    version: int
    person: NotRequired[Named]
    name: str
    made_at: str
    expires_at: NotRequired[str | None]
    revoked_at: str | None
    last_used_on: str | None
    role: NotRequired[RoleEnum | BlankEnum]
    scopes: NotRequired[list[ScopesEnum]]
    projects: NotRequired[list[Named]]
    realms: NotRequired[list[Named]]
    pools: NotRequired[list[Named]]
    networks: NotRequired[list[str]]
    made_by: Named | None
    replaces: int | None
    text: str | None
class TokenRequest(TypedDict):
    person: NotRequired[str | int | dict[str, Any]]
    name: str
    expires_at: NotRequired[str | None]
    role: NotRequired[RoleEnum | BlankEnum]
    scopes: NotRequired[list[ScopesEnum]]
    projects: NotRequired[list[str | int | dict[str, Any]]]
    realms: NotRequired[list[str | int | dict[str, Any]]]
    pools: NotRequired[list[str | int | dict[str, Any]]]
    networks: NotRequired[list[str]]
    proposal: NotRequired[str | None]
TranslationEnum = Literal["one-to-one", "many-to-one"]
class Trend(TypedDict):
    family: int
    used: str
    per_month: str | None
    no_forecast: str | None
    window_days: int
    confidence_percent: int
    readings: list[TakenReading]
    fan: list[Fan]
class TriedRule(TypedDict):
    name: str
    words: str
    decision: DecisionEnum
    about: bool
    met: bool
class TriedRules(TypedDict):
    summary: str
    decision: DecisionEnum
    rule: str | None
    rules: list[TriedRule]
class Undone(TypedDict):
    undone: list[Ledger]
class UploadRequest(TypedDict):
    name: str
    table: TableEnum
    content: str
    options: NotRequired[OptionsRequest]
    proposal: NotRequired[str | None]
class Usage(TypedDict):
    family: int
    unit: str
    units: dict[str, str]
    total: str
    addresses: dict[str, str]
    percent: dict[str, float]
    used_percent: float
    largest_free: str | None
    fragmentation_percent: float
    hd_ratio: float | None
    hd_threshold: float | None
    hd_threshold_units: str | None
    still_fits: list[Fit]
class UsageThen(TypedDict):
    pool: Named
    family: int
    day: str
    total: str
    used: str
    used_percent: float
    states: dict[str, str]
class Use(TypedDict):
    used_by: list[UserOf]
    use_count: int
    frozen: list[str]
class UsedTag(TypedDict):
    tag: int
    subnet: Named
    tier: str
    place: str
class UserOf(TypedDict):
    range: str
    kind: str
    id: int
class VerifierRequest(TypedDict):
    code: str
    verifier: str
class Verify(TypedDict):
    clean: bool
    checked: dict[str, int]
    offences: list[Offence]
class WaitingRequest(TypedDict):
    id: int
    version: int
    what: WaitingWhatEnum
    state: WaitingStateEnum
    summary: str
    asker: Named
    project: Named
    realm: Named
    pool: Named | None
    subject: int | None
    values: dict[str, Any]
    blocks: list[str]
    rule: str
    rule_words: str
    reason: NotRequired[str]
    needed_by: NotRequired[str | None]
    links: NotRequired[list[str]]
    held: bool
    created_at: str
    lapses_at: str
    assigned_to: Named | None
    decided_by: Named | None
    decided_at: str | None
    decision: str
    made: list[int]
    differs: list[Difference]
WaitingStateEnum = Literal["waiting", "granted", "refused", "withdrawn", "lapsed"]
WaitingWhatEnum = Literal["subnets", "replacement", "growth", "plan", "reservation"]
class Waits(TypedDict):
    rule: str
    words: str
    holds: bool
    lapses_at: str
    request: int | None
class WantedRequest(TypedDict):
    name: str
    from_pool: NotRequired[str | int | dict[str, Any]]
    from_ranges: NotRequired[list[str]]
    from_plan: NotRequired[str | int | dict[str, Any]]
    from_subnets: NotRequired[list[str | int | dict[str, Any]]]
    clear: NotRequired[int]
    to_pool: NotRequired[str | int | dict[str, Any]]
    to_ranges: NotRequired[list[str]]
    length_v4: NotRequired[int]
    length_v6: NotRequired[int]
    vacate: NotRequired[bool]
    realm: NotRequired[str | int | dict[str, Any]]
    waves: NotRequired[WavesEnum]
    by: NotRequired[str | None]
    reason: NotRequired[str]
    proposal: NotRequired[str | None]
WavesEnum = Literal["at-once", "zone", "tier"]
WayEnum = Literal["leave", "give back", "wait", "lift", "renumber", "hide", "translate"]
class WayOut(TypedDict):
    way: WayEnum
    realm: str | None
    subnets: int
    records: int
    words: str
class Ways(TypedDict):
    password: PasswordEnum
    sign_on: SignOnWay | None
class WhatIf(TypedDict):
    pool: Named
    done: list[str]
    families: list[WhatIfFamily]
    notes: list[str]
class WhatIfFamily(TypedDict):
    family: int
    today: PoolHeadroom
    then: PoolHeadroom
    still_fits: list[FitsBeside]
class WhatIfQueryRequest(TypedDict):
    window_days: NotRequired[int]
    ranges: NotRequired[list[str]]
    text: NotRequired[str]
    document: NotRequired[dict[str, Any]]
    growth_percent: NotRequired[int]
    give_back: NotRequired[list[str | int | dict[str, Any]]]
    give_back_idle: NotRequired[bool]
    needs: NotRequired[list[SupposedNeedRequest]]
class Whereabouts(TypedDict):
    realm: Named
    range: str
    pools: list[Named]
    holders: list[Holder]
    keep_outs: list[Kept]
    records: list[RecordThere]
    before: Holder | None
    after: Holder | None
class Zone(TypedDict):
    id: int
    version: int
    name: str
    region: Named
    site: NotRequired[SiteEnum | BlankEnum]
    physical: NotRequired[str]
    country: NotRequired[str]
    subdivision: NotRequired[str]
    city: NotRequired[str]
    postal_code: NotRequired[str]
    about: NotRequired[str]
class ZoneRequest(TypedDict):
    name: str
    region: str | int | dict[str, Any]
    site: NotRequired[SiteEnum | BlankEnum]
    physical: NotRequired[str]
    country: NotRequired[str]
    subdivision: NotRequired[str]
    city: NotRequired[str]
    postal_code: NotRequired[str]
    about: NotRequired[str]
    proposal: NotRequired[str | None]
class Problem(TypedDict):
    type: str
    status: int
    code: Literal["address-taken", "bad-address", "bad-estate", "bad-name-service", "bad-plan", "bad-prefix", "breaks-rules", "built-on", "busy", "cannot-grow", "cannot-undo", "cluster-does-not-fit", "conflict", "contradiction", "does-not-fit", "estate-not-possible", "exhausted", "failed", "forbidden-range", "frozen-field", "hosts-do-not-fit", "in-use", "invalid-value", "kept-for-service", "kept-out", "key-reused", "length-out-of-bounds", "malformed", "method-not-allowed", "name-taken", "needs-ipv4", "no-csrf-token", "no-dhcp", "not-a-table", "not-acceptable", "not-allowed", "not-found", "not-private", "not-signed-in", "off-boundary", "outside-parent", "overlaps", "plan-not-possible", "quota-reached", "refused", "second-factor-missing", "second-factor-needed", "sign-on-away", "sign-on-not-proved", "stale-edit", "stale-proposal", "still-attached", "tag-taken", "too-large", "too-many-ranges", "too-many-tries", "unknown-field", "unknown-name", "unsupported-media-type", "workloads-out-of-bounds", "wrong-family", "wrong-pool", "wrong-state", "zone-not-in-region"]
    title: str
    detail: str
    field: NotRequired[str]
    received: NotRequired[str]
    rule: NotRequired[str]
    conflicts: NotRequired[list[dict[str, Any]]]
    suggestions: NotRequired[list[str]]
    errors: NotRequired[list[dict[str, Any]]]
class ByProposal(TypedDict):
    proposal: NotRequired[str | None]
