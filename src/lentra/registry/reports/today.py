"""What somebody comes for: a few lists of few lines, by what the person does. Each says how much more there is of it."""

from __future__ import annotations

import heapq
import itertools
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta
from statistics import median
from typing import Any

from django.db.models import Q, QuerySet

from lentra.registry.models import (
    Alert,
    DnsServing,
    DnsZone,
    Finding,
    Lease,
    LedgerEntry,
    Outlook,
    Person,
    Plan,
    Pool,
    Project,
    Reading,
    Realm,
    Reservation,
    SignInCount,
    Space,
    Subnet,
    Subscription,
    Token,
    Verified,
    WaitingRequest,
)
from lentra.registry.models.subnets import TAKEN
from lentra.registry.reports.holdings import subnets_by_state
from lentra.registry.reports.seen import worst_findings
from lentra.registry.rules.permissions import visible_entries
from lentra.registry.rules.quotas import LIMITS, quotas_of, used_of_each

LINES = 6
SOON = timedelta(days=30)
LATELY = timedelta(days=14)
WEEK = timedelta(days=7)
_ENTRIES = 300  # of the ledger, among which the last changes are looked for
_WEEKS = 12  # that a week is compared with
_UNUSUAL = 3  # times the usual growth of a week
_LITTLE = 64  # addresses more in a week, which are nothing unusual
_LOOKED_AT = 50  # projects whose past is looked at: those that have grown most


@dataclass
class Line:
    """One line: a record by kind and number, or nothing of the kind; what it is, and what is to be known of it."""

    text: str
    note: str = ""
    kind: str | None = None
    id: int | None = None


@dataclass
class Section:
    """One list: what it is about, its first lines, and how many there are in all."""

    name: str
    title: str
    lines: list[Line] = field(default_factory=list)
    total: int = 0
    empty: str = "Nothing."


def today(person: Person, now: datetime) -> list[Section]:
    """The lists for a person, in the order in which they matter."""
    made: list[Callable[[], Section]] = []
    if person.may("admin"):
        made += [lambda: _service(now), lambda: _tokens(now), lambda: _subscriptions(), lambda: _people(now)]
    if person.may("planner"):
        first = [lambda: _waits(), lambda: _alerts(now), lambda: _fills_first(), lambda: _findings()]
        first += [lambda: _names()] if DnsServing.objects.exclude(failing_since=None).exists() else []
        then = [lambda: _ends(now, None), lambda: _unusual(now), lambda: _changes(person)]
        made = [*first, *made, *then]
    elif person.may("requester"):
        own = list(person.projects.order_by("name"))
        made = [
            lambda: _projects(own, now),
            lambda: _requests(person, now),
            lambda: _ends(now, own),
            lambda: _cools(own),
            lambda: _again(person),
        ]
    else:
        made = [lambda: _realms(), lambda: _fills_first(), lambda: _alerts(now), lambda: _changes(person)]
    return [make() for make in made]


def _section(
    name: str, title: str, rows: QuerySet[Any], line: Callable[[Any], Line], empty: str = "Nothing."
) -> Section:
    found = list(rows[: LINES + 1])
    total = len(found) if len(found) <= LINES else rows.count()
    return Section(name, title, [line(row) for row in found[:LINES]], total, empty)


# --- a requester's ---


def _projects(own: Sequence[Project], now: datetime) -> Section:
    lines = []
    for project in own[:LINES]:
        held = sum(count for state, count in subnets_by_state(project).items() if state in TAKEN)
        limits = [row for used in used_of_each(quotas_of(project.pk), now) for row in used.told()]
        words = [f"{row['used']:,} of {row['limit']:,} {LIMITS[row['what']]}" for row in limits]
        if not any(row["what"] == "subnets" for row in limits):
            words = [f"{held:,} subnets", *words]
        for space in (
            Space.objects.filter(pool__project=project).select_related("pool").order_by("pool__name", "family")[:2]
        ):
            words.append(f"{space.pool.name} {space.usage().used_percent:.0f} % in use")
        note = "; ".join(words)
        lines.append(Line(project.name, note, "project", project.pk))
    return Section(
        "projects", "My projects", lines, len(own), "You belong to no project yet: an admin adds you to one."
    )


def _requests(person: Person, now: datetime) -> Section:
    rows = WaitingRequest.objects.filter(asker=person).filter(Q(state="waiting") | Q(decided_at__gt=now - LATELY))

    def line(request: WaitingRequest) -> Line:
        note = request.state + (f": {request.decision}" if request.decision else "")
        return Line(request.summary, note, "request", request.pk)

    return _section("requests", "My requests", rows.order_by("-pk"), line, "Nothing of yours waits.")


def _cools(own: Sequence[Project]) -> Section:
    rows = Subnet.objects.filter(project__in=own, state="cooling").order_by("ends_at").prefetch_related("extents")
    return _section(
        "cools",
        "Given back, and cooling",
        rows,
        lambda subnet: Line(
            subnet.name,
            f"{', '.join(str(block) for block in subnet.blocks())}, until {subnet.ends_at:%Y-%m-%d}; can be brought back",
            "subnet",
            subnet.pk,
        ),
        "Nothing cools.",
    )


def _again(person: Person) -> Section:
    """What the person was handed lately: a request like it is one step away."""
    handed = LedgerEntry.objects.filter(actor_name=person.name, kind="subnet", verb="hand out").order_by("-number")
    numbers = [entry.record for entry in handed[: 2 * LINES]]
    granted = WaitingRequest.objects.filter(asker=person, state="granted", what="subnets").order_by("-pk")
    numbers += [number for made in granted.values_list("made", flat=True)[:LINES] for number in made]
    rows = (
        Subnet.objects.filter(pk__in=numbers, state__in=TAKEN)
        .order_by("-pk")
        .select_related("zone", "tier", "pool")
    )
    return _section(
        "again",
        "Ask again, as before",
        rows,
        lambda subnet: Line(
            subnet.name,
            f"{subnet.tier.name}, {subnet.zone.name if subnet.zone else 'no zone'}, out of {subnet.pool.name}",
            "like",
            subnet.pk,
        ),
        "You were handed nothing yet.",
    )


def _ends(now: datetime, own: Sequence[Project] | None) -> Section:
    """What ends by itself within a month: held subnets and plans, reservations."""
    subnets = Subnet.objects.filter(state="held", ends_at__gt=now, ends_at__lt=now + SOON)
    plans = Plan.objects.filter(state="held", ends_at__gt=now)
    reservations = Reservation.objects.filter(ends_at__gt=now, ends_at__lt=now + SOON)
    if own is not None:
        subnets, plans = subnets.filter(project__in=own), plans.filter(project__in=own)
        reservations = reservations.filter(projects__in=own).distinct()
    kinds: Iterable[tuple[str, str, QuerySet[Any]]] = (
        ("subnet", "held", subnets),
        ("plan", "held", plans),
        ("reservation", "reserved", reservations),
    )
    found = [
        (row.ends_at, Line(row.name, f"{word} until {row.ends_at:%Y-%m-%d %H:%M} UTC", kind, row.pk))
        for kind, word, rows in kinds
        for row in rows.order_by("ends_at")[:LINES]
    ]
    total = sum(rows.count() for _, _, rows in kinds)
    lines = [line for _, line in sorted(found, key=lambda pair: pair[0])[:LINES]]
    return Section("ends", "Ends soon", lines, total, "Nothing ends within a month.")


# --- a planner's ---


def _waits() -> Section:
    rows = WaitingRequest.objects.filter(state="waiting").select_related("asker").order_by("pk")

    def line(request: WaitingRequest) -> Line:
        needed = f", needed by {request.needed_by}" if request.needed_by else ""
        return Line(
            request.summary,
            f"{request.asker.name}: {request.reason or 'no reason given'}{needed}",
            "request",
            request.pk,
        )

    return _section("waits", "Waits for a decision", rows, line, "Nothing waits.")


def _names() -> Section:
    """DNS zones whose servers do not answer as they should: the longest first."""
    rows = DnsServing.objects.exclude(failing_since=None).select_related("dns_zone").order_by("failing_since")

    def line(serving: DnsServing) -> Line:
        note = f"since {serving.failing_since:%Y-%m-%d %H:%M} UTC: {serving.outcome}"
        return Line(serving.dns_zone.name, note, DnsZone.KIND, serving.dns_zone_id)

    return _section("names", "Names that are not pushed", rows, line)


def _findings() -> Section:
    """What differs from what was seen, kind by kind, the worst first; the oldest first."""
    rows = worst_findings()

    def line(finding: Finding) -> Line:
        by = ", ".join(dict.fromkeys(one["source"] for one in finding.seen))
        note = f"{finding.kind}{f', seen by {by}' if by else ''}, since {finding.opened_at:%Y-%m-%d}"
        return Line(finding.text, note, "finding", finding.pk)

    return _section("findings", "Findings", rows, line, "Nothing differs, as far as anything was seen.")


def _alerts(now: datetime) -> Section:
    rows = Alert.objects.filter(living__isnull=False).exclude(muted_until__gt=now).order_by("-opened_at")
    return _section(
        "alerts",
        "Alerts",
        rows,
        lambda alert: Line(
            alert.text, f"since {alert.opened_at:%Y-%m-%d}", "pool" if alert.pool_id else None, alert.pool_id
        ),
        "No alert is open.",
    )


def _fills_first() -> Section:
    rows = Outlook.objects.standing().exclude(full_on=None).order_by("full_on").select_related("space__pool")

    def line(outlook: Outlook) -> Line:
        used = outlook.space.usage().used_percent
        pool = outlook.space.pool
        return Line(
            pool.name,
            f"IPv{outlook.space.family}: full about {outlook.full_on}, {used:.1f} % in use",
            "pool",
            pool.pk,
        )

    return _section("fills", "Fills first", rows, line, "No pool is likely to be full within ten years.")


def _unusual(now: datetime) -> Section:
    """Projects that have grown far more this week than they use to."""
    today_, start = now.date(), now.date() - WEEK * (_WEEKS + 1)
    readings = Reading.objects.filter(kind="project", family=4, day__lte=today_)
    rows = readings.filter(day__gte=start, subject__in=_grown_most(readings, today_)).order_by("day")
    by_project: dict[int, list[tuple[int, int]]] = {}
    for subject, day, used in rows.values_list("subject", "day", "used"):
        by_project.setdefault(subject, []).append((day.toordinal(), int(used)))
    found = []
    for project, samples in by_project.items():
        weeks = _weekly_growth(samples, today_.toordinal())
        if len(weeks) < 4:
            continue
        grown, usual = weeks[-1], max(0.0, median(weeks[:-1]))
        if grown > max(_UNUSUAL * usual, _LITTLE):
            found.append((grown, usual, project))
    names = dict(Project.objects.filter(pk__in=[p for _, _, p in found]).values_list("pk", "name"))
    lines = [
        Line(names[p], f"{grown:,} IPv4 addresses more this week, usually {usual:,.0f}", "project", p)
        for grown, usual, p in sorted(found, reverse=True)
        if p in names
    ]
    return Section(
        "unusual", "Unusual growth this week", lines[:LINES], len(lines), "Nobody has grown more than usual."
    )


def _grown_most(readings: QuerySet[Reading], today_: date) -> list[int]:
    """The projects that have grown most in a week, by the readings of two days."""
    days = [
        readings.filter(day__lte=day).order_by("-day").values_list("day", flat=True).first()
        for day in (today_, today_ - WEEK)
    ]
    new, old = (dict(readings.filter(day=day).values_list("subject", "used")) for day in days)
    grown = {project: int(used) - int(old.get(project, 0)) for project, used in new.items()}
    most = heapq.nlargest(_LOOKED_AT, grown, key=lambda project: grown[project])
    return [project for project in most if grown[project] > _LITTLE]


def _weekly_growth(samples: Sequence[tuple[int, int]], last: int) -> list[int]:
    """How much use has grown in each week up to a day, the oldest first; weeks without readings are left out."""
    at: dict[int, int] = {}
    for day, used in samples:
        at[(last - day) // 7] = max(used, at.get((last - day) // 7, 0)) if day < last else used
    weeks = sorted(at, reverse=True)
    return [at[newer] - at[older] for older, newer in itertools.pairwise(weeks) if older - newer == 1]


def _changes(person: Person) -> Section:
    """The last changes, each by the first of its entries."""
    together: dict[Any, list[LedgerEntry]] = {}
    for entry in visible_entries(person).exclude(kind="sign-in").order_by("-number")[:_ENTRIES]:
        together.setdefault(entry.operation, []).append(entry)
    lines = []
    for entries in list(together.values())[:LINES]:
        first, more = entries[-1], len(entries) - 1
        text = f"{first.verb} {first.kind} {first.name}" + (f", and {more:,} entries more" if more else "")
        lines.append(Line(text, f"{first.actor_name}, {first.at:%Y-%m-%d %H:%M} UTC", first.kind, first.record))
    return Section("changes", "Last changes", lines, len(lines), "Nothing has happened yet.")


# --- a viewer's ---


def _realms() -> Section:
    rows = Realm.objects.order_by("name")

    def line(realm: Realm) -> Line:
        pools = Pool.objects.filter(realm=realm).count()
        return Line(realm.name, f"{pools:,} pools{f'; {realm.about}' if realm.about else ''}", "realm", realm.pk)

    return _section("realms", "Realms", rows, line, "There is no realm yet.")


# --- an admin's ---


def _service(now: datetime) -> Section:
    """How the service itself is: upkeep's last round, when realms were verified."""
    lease = Lease.objects.filter(pk="upkeep").first()
    done = f"{lease.round_at:%Y-%m-%d %H:%M} UTC" if lease and lease.round_at else "never yet"
    lines = [Line("upkeep", f"its last whole round: {done}")]
    for verified in Verified.objects.select_related("realm").order_by("-offences", "realm__name")[: LINES - 1]:
        words = f"{verified.offences:,} offences" if verified.offences else "all holds"
        lines.append(
            Line(
                f"verification of {verified.realm.name}",
                f"{words}, {verified.at:%Y-%m-%d %H:%M} UTC",
                "realm",
                verified.realm_id,
            )
        )
    return Section("service", "The service", lines, len(lines))


def _tokens(now: datetime) -> Section:
    rows = Token.objects.filter(revoked_at=None, expires_at__gt=now, expires_at__lt=now + SOON)
    return _section(
        "tokens",
        "Tokens about to end",
        rows.order_by("expires_at").select_related("person"),
        lambda token: Line(
            f"{token.name} of {token.person.name}", f"ends {token.expires_at:%Y-%m-%d}", "person", token.person_id
        ),
        "No token ends within a month.",
    )


def _subscriptions() -> Section:
    rows = Subscription.objects.filter(~Q(paused="") | Q(progress__failing_since__isnull=False))
    return _section(
        "subscriptions",
        "Subscriptions in trouble",
        rows.order_by("name").select_related("progress"),
        lambda one: Line(
            one.name, (one.paused and f"paused: {one.paused}") or one.progress.outcome, "subscription", one.pk
        ),
        "All are told.",
    )


def _people(now: datetime) -> Section:
    names = {
        key.removeprefix("name:")
        for key in SignInCount.objects.filter(key__startswith="name:", until__gt=now).values_list("key", flat=True)
    }
    rows = Person.objects.filter(Q(name__in=names) | Q(role="admin", active=True)).order_by("role", "name")
    return _section(
        "people",
        "People",
        rows,
        lambda person: Line(
            person.name,
            "locked after failed sign-ins" if person.name in names else person.role,
            "person",
            person.pk,
        ),
    )
