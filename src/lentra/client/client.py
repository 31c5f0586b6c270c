"""The client: calls with bounded retries, iterators over pages, previews."""

from __future__ import annotations

import base64
import hashlib
import json
import secrets
import time
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from functools import cached_property
from types import TracebackType
from typing import TYPE_CHECKING, Any
from urllib.parse import parse_qs, urlsplit

from lentra.client.answers import Answer, Record, part
from lentra.client.calling import Call, Tries, next_page, of_change, settings_of
from lentra.client.collections import (
    ApprovalRules,
    Collection,
    DnsZones,
    Findings,
    Intakes,
    KeepOuts,
    Links,
    People,
    Plans,
    Pools,
    Projects,
    Renumberings,
    Sources,
    Subnets,
    Subscriptions,
    Tokens,
    Waiting,
)

if TYPE_CHECKING:
    import httpx

    from lentra.client.calls import Calls

_SOON = 1.0  # seconds between two calls, where the service does not wait
_WIDE = {"limit": 1000}  # as many rows a page as there may be, where all are fetched


class Client:
    """A connection to a Lentra service.

    Args:
        url: where the service is, such as ``http://127.0.0.1:8460``.
        token: a token of the person that calls.
        timeout: seconds to wait for one answer.
        retries: how often a call is tried again when the service is away or busy, after as many seconds as it says.
            Calls that change something carry an idempotency key, so that trying again never does it twice.
        verify: False, or the file of a certificate authority, for a service whose certificate is not known here.
        transport: what answers in the place of a network, such as `lentra.client.fake.FakeService`.

    Its methods are comfortable; `calls` has one for each operation of the API, with the types of its document.

    A client keeps connections open until `close`, or the end of a ``with``. Threads have one each.

    Example:
        >>> client = Client(url, token)
        >>> [zone["name"] for zone in client.zones.list(region="inner-isles")]
        ['ii-1', 'ii-2']
        >>> client.whereabouts("10.41.80.1", realm="fleet")[0]["pools"][-1]["name"]
        'ii-2-general'
    """

    def __init__(
        self,
        url: str,
        token: str | None = None,
        timeout: float = 30,
        retries: int = 5,
        verify: bool | str = True,
        transport: httpx.BaseTransport | None = None,
    ) -> None:
        import httpx  # takes longer than all else: a command that makes no call does without

        self.url = url.rstrip("/")
        self.retries = retries
        self.http = httpx.Client(**settings_of(token, timeout, verify), transport=transport)
        self._proposal: str | None = None
        self._said: dict[str, Any] = {}
        self.realms = Collection(self, "realms")
        self.rule_sheets = Collection(self, "rule-sheets")
        self.regions = Collection(self, "regions")
        self.zones = Collection(self, "zones")
        self.tiers = Collection(self, "tiers")
        self.projects = Projects(self, "projects")
        self.pools = Pools(self, "pools")
        self.keep_outs = KeepOuts(self, "keep-outs")
        self.people = People(self, "people")
        self.tokens = Tokens(self, "tokens")
        self.subnets = Subnets(self, "subnets")
        self.reservations = Collection(self, "reservations")
        self.tag_ranges = Collection(self, "tag-ranges")
        self.tag_members = Collection(self, "tag-members")
        self.planned_needs = Collection(self, "planned-needs")
        self.quotas = Collection(self, "quotas")
        self.approval_rules = ApprovalRules(self, "approval-rules")
        self.sessions = Collection(self, "sessions")
        self.group_mappings = Collection(self, "group-mappings")
        self.links = Links(self, "links")
        self.renumberings = Renumberings(self, "renumberings")
        self.dns_zones = DnsZones(self, "dns-zones")
        self.dns_records = Collection(self, "dns-records")
        self.sources = Sources(self, "sources")
        self.surveys = Collection(self, "surveys")
        self.taking_rules = Collection(self, "taking-rules")
        self.findings = Findings(self, "findings")
        self.waiting = Waiting(self, "waiting-requests")
        self.subscriptions = Subscriptions(self, "subscriptions")
        self.addresses = Collection(self, "addresses")
        self.plans = Plans(self, "plans")
        self.intakes = Intakes(self, "intakes")

    @cached_property
    def calls(self) -> Calls:
        """Every operation of the API, as it is in the document, typed."""
        from lentra.client.calls import Calls

        return Calls(self.call)

    def __enter__(self) -> Client:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, failure: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def close(self) -> None:
        """Close the connections that are open."""
        self.http.close()

    @contextmanager
    def following(self, proposal: str | None) -> Iterator[None]:
        """Have the change made meanwhile do exactly what a preview has shown (`Answer.proposal`), or be refused.

        Example:
            >>> client = Client(url, token)
            >>> seen = client.reservations.add(pool="mainland", length=27, reason="links", preview=True)
            >>> with client.following(seen.proposal):
            ...     done = client.reservations.add(pool="mainland", length=27, reason="links")
            >>> done.result["range"] == seen.result["range"]
            True
        """
        self._proposal = proposal
        try:
            yield
        finally:
            self._proposal = None

    @contextmanager
    def telling(self, **said: Any) -> Iterator[None]:
        """Have what is asked for meanwhile carry what a planner is told, should it wait for one.

        Args:
            said: ``needed_by`` a day, ``link`` one or several, ``instead_of`` the number of a request that it replaces.
        """
        self._said = said
        try:
            yield
        finally:
            self._said = {}

    # --- who ---

    def me(self) -> Record:
        """The person that the token belongs to."""
        return self._record("session")

    def sign_out(self) -> None:
        """Revoke the token that this client signs in with."""
        self.call("DELETE", "session")

    def change_password(self, current: str, new: str, *, revoke_tokens: bool = False) -> Answer[Any]:
        """Give oneself a new password; with `revoke_tokens` all of one's tokens end, this one too."""
        body = {"current": current, "new": new, "revoke_tokens": revoke_tokens}
        return self.change("POST", "session/password", body)

    def meetings(self, one: str | int, other: str | int, **how: Any) -> list[Record]:
        """What would meet if two realms were linked, as `Links.meetings` tells it: each two that would meet only then.

        Args:
            how: ``one_shows``, ``other_shows``: ranges that are seen of either; ``passes_on``; ``one_gives``,
                ``other_gives``: what either is to hand out of what both have.

        Example:
            >>> client = Client(url, token)
            >>> client.meetings("fleet", "shipyard")[0]["clashes"]["living"] > 0
            True
        """
        return list(self._record("meetings", {"one": one, "other": other, **how})["meetings"])

    def realm_graph(self) -> Record:
        """All realms, their links, and which of them meet."""
        return self._record("realm-graph")

    def today(self) -> Record:
        """What the person comes for: lists of few lines, by role.

        Example:
            >>> client = Client(url, token)
            >>> client.today()["sections"][0]["name"]
            'waits'
        """
        return self._record("today")

    def set_up_second_factor(self) -> Record:
        """A secret for an authenticator (``secret``, ``uri``); it counts once `confirm_second_factor` has a code of it."""
        return dict(self.call("POST", "session/second-factor", safe=True).json())

    def confirm_second_factor(self, code: str) -> Answer[Any]:
        """Have the second factor count from now on; the result has the ``recovery`` codes, which are told once."""
        return self.change("POST", "session/second-factor/confirm", {"code": code})

    def turn_off_second_factor(self, code: str) -> Answer[Any]:
        """Turn one's own second factor off, by a code of it or a recovery code."""
        return self.change("POST", "session/second-factor/off", {"code": code})

    def told_by_mail(
        self, *, email: str | None = None, mail: str | None = None, preview: bool = False
    ) -> Answer[Any]:
        """Set where mail goes to, and whether one is told ``at once``, ``daily`` or ``never``."""
        given = {name: value for name, value in {"email": email, "mail": mail}.items() if value is not None}
        return self.change("POST", "session/mail", given, preview=preview)

    # --- working out and looking ---

    def size(self, **what: Any) -> Record:
        """Size by ``hosts`` (with ``growth`` in percent) or ``length``, under a ``sheet`` or a ``pool``'s."""
        return self._record("size", what)

    def size_several(self, needs: list[Record], **under: Any) -> Record:
        """Size several subnets (each with ``name`` and ``hosts`` or ``length``), packed ``inside`` a block if given."""
        return self._worked_out("size/several", {"needs": needs, **under})

    def size_range(self, subnets: int, **under: Any) -> Record:
        """The range that a number of subnets needs (IPv6 unless ``family=4``)."""
        return self._record("size/range", {"subnets": subnets, **under})

    def size_cluster(self, nodes: int, **need: Any) -> Record:
        """Size a cluster: ``surge``, ``workloads``, ``balancers``, ``own_range``, ``service_range``…

        Example:
            >>> client = Client(url, token)
            >>> client.size_cluster(12, workloads=40, balancers=3, sheet="four-and-one")["subnet"]["length"]
            22
        """
        return self._worked_out("size/cluster", {"nodes": nodes, **need})

    def split(self, prefix: str, **how: Any) -> Record:
        """Split a block equally: ``into`` so many parts, or all of a ``length``."""
        return self._record("split", {"prefix": prefix, **how})

    def carries(self, prefix: str, **under: Any) -> Record:
        """What a block carries: hosts, subnets, and cluster nodes with so many ``workloads``."""
        return self._record("carries", {"prefix": prefix, **under})

    def check_ranges(self, realms: str | list[str] | None, ranges: list[str]) -> list[Record]:
        """How each range of a list of lines lies to all that is known in one realm, several, or (None) all of them."""
        names = [realms] if isinstance(realms, str) else list(realms or [])
        body = {"ranges": ranges, **({"realms": names} if names else {})}
        return list(self.call("POST", "check-ranges", body=body, safe=True).json())

    def still_fits(self, **of: Any) -> list[Record]:
        """How many blocks of each length still fit in a ``pool``, a ``region`` or a ``realm``."""
        return list(self.call("GET", "still-fits", query=of).json())

    def explain(self, prefix: str, **what: Any) -> Record:
        """All plain facts about a prefix, under a ``sheet`` or a ``pool``'s."""
        return self._record("explain", {"prefix": prefix, **what})

    def tags(self, zone: str | None = None, region: str | None = None, outer_tag: int = 0) -> Record:
        """Segment tags of a zone or region: used and free, ranges, the next free one, members that differ."""
        place = f"zones/{part(zone)}" if zone else f"regions/{part(region or '')}"
        return self._record(f"{place}/tags", {"outer_tag": outer_tag})

    def public_use(self, **query: Any) -> Iterator[Record]:
        """How many public addresses each project holds, of its quota, and how many of them lie idle."""
        return self.pages("public-use", query)

    def candidates(self, project: str, **need: Any) -> Record:
        """Pools that may serve a need (tier, zone or region, hosts or length), and where in each."""
        return self._record("candidates", {"project": project, **need})

    def whereabouts(self, range: str, realm: str | None = None) -> list[Record]:
        """What is at an address or over a range, per realm."""
        found = self.call("GET", "whereabouts", query={"range": range, "realm": realm})
        return list(found.json())

    def history(self, range: str, **of: Any) -> Iterator[Record]:
        """Who had what of a range, from when to when, in order of address and then of time; ``realm``, ``kind``, ``on``.

        Example:
            >>> client = Client(url, token)
            >>> [one["name"] for one in client.history("10.41.80.1", kind="subnet", on="2026-11-01")]
            ['ticketing-ii-2-edge-01']
        """
        return self.pages("history", {**_WIDE, "range": range, **of})

    def search(self, text: str) -> Record:
        """What is found by an address, part of a name, a hardware address, a tag, a label or a number.

        Example:
            >>> client = Client(url, token)
            >>> [found["name"] for found in client.search("ticket-h")["records"]]
            ['ticket-hall']
        """
        return self._record("search", {"text": text})

    def map(self, range: str | None = None, **of: Any) -> Record:
        """The map of a prefix, or of where a ``pool``, ``region`` or ``realm`` begins: cells in order, with their facts.

        Example:
            >>> client = Client(url, token)
            >>> client.map("10.40.96.0/19")["chain"][-1]["name"]
            'nc-2-general'
        """
        return self._record("map", {"range": range, **of})

    def usage(self, **of: Any) -> Iterator[Record]:
        """Usage of pools, filtered by realm, region, zone, project, ``parent``, ``top`` or part of the name (``text``)."""
        return self.pages("usage", of)

    def usage_together(self, **of: Any) -> list[Record]:
        """Usage of all pools of a realm, region, zone or project together, by family; no address counts twice."""
        return list(self.call("GET", "usage/together", query=of).json())

    def headroom(self, **of: Any) -> Iterator[Record]:
        """Growth of pools and when each is full, filtered by realm, region, zone or project."""
        return self.pages("headroom", of)

    def growth(self, kind: str, ref: str | int, **window: Any) -> list[Record]:
        """How a ``project``, a ``zone``, a ``region`` or all pools of a ``realm`` grow, per family."""
        return list(self.call("GET", f"{kind}s/{part(ref)}/headroom", query=window).json())

    def geofeed(self, **of: Any) -> Iterator[Record]:
        """Where public ranges are, as it stands in ``/geofeed.csv`` of realms that are published."""
        return self.pages("geofeed", of)

    def geofeed_pointers(self, **of: Any) -> Iterator[Record]:
        """What objects of a routing registry are to say so that the geofeed is found (RFC 9632)."""
        return self.pages("geofeed-pointers", of)

    def authorisations(self, **of: Any) -> Iterator[Record]:
        """Who may announce what, by the pools that say so."""
        return self.pages("authorisations", of)

    def assertions(self, **of: Any) -> Any:
        """The same as locally added assertions (RFC 8416)."""
        return self.call("GET", "authorisations/assertions", query=of).json()

    def prefix_list(self, **of: Any) -> str:
        """The fewest prefixes as plain text, one a line: of a realm, pool, project, region, zone, tier, family."""
        return self.call("GET", "prefix-list", query=of).text

    def rdap(self, realm: str, kind: str, what: str) -> Any:
        """What others are told by RDAP (RFC 9083) of an ``ip``, ``domain``, ``nameserver`` or ``entity`` of a realm.

        Example:
            >>> client = Client(url, token)
            >>> client.rdap("fleet", "ip", "203.0.113.4")["endAddress"]
            '203.0.113.4'
        """
        return self.call("GET", f"/rdap/{part(realm)}/{part(kind)}/{part(what)}").json()

    def calendar(self, **of: Any) -> str:
        """What ends, and when pools are likely full, as a calendar (RFC 5545)."""
        return self.call("GET", "calendar", query=of).text

    def dns_entries(self, **of: Any) -> Iterator[Record]:
        """What stands in DNS zones: filtered by dns_zone, realm, subnet, state, type, and part of the name or the data.

        Example:
            >>> client = Client(url, token)
            >>> {entry["type"] for entry in client.dns_entries(dns_zone="fleet:ferry.example", state="published")} >= {"A"}
            True
        """
        return self.pages("dns-entries", of)

    def sightings(self, **of: Any) -> Iterator[Record]:
        """What sources see: filtered by realm, source, and the prefix that it lies ``inside``."""
        return self.pages("sightings", of)

    def acknowledge_alert(
        self, number: int, reason: str, until: str | None = None, *, preview: bool = False, why: str = ""
    ) -> Answer[Any]:
        """Say that somebody looks after an alert; ``until`` a moment nobody is told of it."""
        body = {"reason": reason, **({"until": until} if until else {})}
        return self.change("POST", f"alerts/{number}/acknowledge", body, preview=preview, why=why)

    def reopen_alert(self, number: int, *, preview: bool = False, why: str = "") -> Answer[Any]:
        """Take the acknowledgement of an alert back."""
        return self.change("POST", f"alerts/{number}/reopen", {}, preview=preview, why=why)

    def alerts(self, **of: Any) -> Iterator[Record]:
        """Thresholds that are reached or near, of a ``realm`` or ``pool``; with ``resolved=True`` also those over."""
        return self.pages("alerts", of)

    def breakdown(self, by: str, **of: Any) -> list[Record]:
        """Usage grouped by realm, pool, region, zone, tier or project (several with commas), filtered by the same.

        Example:
            >>> client = Client(url, token)
            >>> [row["zone"]["name"] for row in client.breakdown("zone", project="crew-roster")]
            ['ml-1', 'ml-2']
        """
        return list(self.pages("usage/breakdown", {"by": by, **_WIDE, **of}))

    def usage_on(self, day: str, **of: Any) -> list[Record]:
        """Usage of pools on a day, from readings."""
        return list(self.pages("usage/on", {"on": day, **_WIDE, **of}))

    def changes(self, since: str, **of: Any) -> list[Record]:
        """What was handed out and given back since a day, and by whom."""
        return list(self.pages("usage/changes", {"since": since, **_WIDE, **of}))

    def ranges(self, **of: Any) -> Iterator[Record]:
        """Prefixes of a realm, pool, project, region, zone or tier, for access rules; ``aggregated``, ``since``."""
        return self.lines("ranges/lines", of)

    def grid(self, project: str | int) -> Record:
        """A project over zones and tiers: prefixes, hosts, room, and what is missing."""
        return self._record(f"projects/{part(project)}/grid")

    def report(self, **of: Any) -> str:
        """A printable page, HTML, about a ``realm`` or a ``project``."""
        return self.call("GET", "report", query=of).text

    def idle(self, **of: Any) -> Iterator[Record]:
        """Idle and odd things of a realm or project, each with a proposed step; of a ``kind``, or of several."""
        return self.pages("idle", {**_WIDE, **of})

    def ledger(self, **of: Any) -> Iterator[Record]:
        """Ledger entries, newest first, filtered by kind, record, actor, verb or text."""
        return self.pages("ledger", of)

    def follow(self, after: int | None = None, wait: int = 20, **of: Any) -> Iterator[Record]:
        """Ledger entries as they are committed, in that order, none skipped: without an end.

        Args:
            after: number of the last entry that is known; what comes from now on, if left out.
            wait: seconds that a call waits for something, up to 30. `of`: filters of the ledger.
        """
        if after is None:
            newest = next(iter(self.call("GET", "ledger", query={"limit": 1}).json()["results"]), None)
            after = newest["number"] if newest else 0
        while True:
            asked_at = time.monotonic()
            page = self.call("GET", "ledger", query={"after": after, "wait": wait, "limit": 1000, **of}).json()
            yield from page["results"]
            went_on, after = after, int(parse_qs(urlsplit(page["next"]).query)["after"][0])
            if after == went_on and time.monotonic() - asked_at < _SOON:
                time.sleep(_SOON)  # too many wait already: the service does not let this call wait

    def undo(self, number: int, *, preview: bool = False, why: str = "", key: str | None = None) -> Answer[Any]:
        """Take back the change that a ledger entry belongs to, while nobody has built on it.

        Raises:
            BuiltOn, CannotUndo.
        """
        return self.change("POST", f"ledger/{int(number)}/undo", preview=preview, why=why, key=key)

    def verify(self) -> Record:
        """Whether all that must hold, holds."""
        return self._record("verify")

    def mend(self, *, preview: bool = False, why: str = "") -> Answer[Any]:
        """Rebuild counters, free counts, tiles and due times from the extents, where they differ; for admins."""
        return self.change("POST", "verify/mend", preview=preview, why=why)

    # --- asking and giving back ---

    def request(
        self, *, preview: bool = False, why: str = "", key: str | None = None, **wanted: Any
    ) -> Answer[Any]:
        """Ask for subnets.

        Args:
            wanted: pool, project, tier, zone or region, and hosts (with growth), length or prefix; further
                count, families, placement, beside, name, purpose, notes, labels, proposal.
            key: an idempotency key of your own; a fresh one if None.

        Raises:
            Problem: one of its kinds, if the service refuses.
        """
        return self.change("POST", "subnets", wanted, preview=preview, why=why, key=key)

    def release(
        self,
        subnet: str | int,
        *,
        at_once: bool = False,
        despite_use: bool = False,
        preview: bool = False,
        why: str = "",
        key: str | None = None,
    ) -> Answer[Any]:
        """Give a subnet back.

        Args:
            at_once: for planners: skip or end cooling.
            despite_use: although address records, a DHCP range or a gateway are recorded in it.
        """
        path = f"subnets/{part(subnet)}/release"
        body = {"at_once": at_once, "despite_use": despite_use}
        return self.change("POST", path, body, preview=preview, why=why, key=key)

    def set_up_cluster(self, *, preview: bool = False, why: str = "", **wanted: Any) -> Answer[Any]:
        """Hand out a cluster's node subnet, and reserve or keep out the ranges that it brings along."""
        return self.change("POST", "clusters", wanted, preview=preview, why=why)

    # --- calls ---

    def change(
        self,
        method: str,
        path: str,
        body: Mapping[str, Any] | None = None,
        *,
        preview: bool = False,
        why: str = "",
        key: str | None = None,
        version: int | None = None,
    ) -> Answer[Any]:
        """A changing call. POSTs always carry an idempotency key."""
        sent = of_change(method, body, preview, why, self._proposal, key, version, self._said)
        return Answer.of(self.call(method, path, **sent))

    def pages(self, path: str, query: Mapping[str, Any]) -> Iterator[Record]:
        """All records of a list, page by page as they are needed."""
        answer = self.call("GET", path, query=query).json()
        while True:
            yield from answer["results"]
            if not (following := next_page(answer)):
                return
            answer = self.call("GET", f"{path}?{following}").json()
            if not answer["results"] and next_page(answer) == following:
                return  # of what goes on without an end, all there is for now

    def lines(self, path: str, query: Mapping[str, Any]) -> Iterator[Record]:
        """All records of a list that comes as lines of JSON, as they come; tried again until the first one is there.

        Raises:
            NotReachable: no answer after all retries, or not all of it.
            Problem: the service refuses.
        """
        return self._streamed(Call("GET", path, query), lambda answer: map(json.loads, answer.iter_lines()))

    def estate(self, **of: Any) -> Record:
        """The registry, or a ``realm`` or ``project``, as an estate file (``text``, ``document``); with ``subnets``.

        Example:
            >>> client = Client(url, token)
            >>> client.estate()["document"]["zones"]["ml-1"]["region"]
            'mainland'
        """
        return self._record("estate", of)

    def beginning(self, **answers: str) -> Record:
        """An estate file (``text``) with a first plan (``files``), made of answers to what `begin_steps` ask.

        Example:
            >>> client = Client(url, token)
            >>> client.beginning(realm="quay")["document"]["realms"]
            {'quay': {}}
        """
        return self._worked_out("begin", {"answers": answers})

    def begin_steps(self) -> list[Record]:
        """The steps of a guided beginning: what each is about, what is asked, an answer that would do."""
        return list(self._record("begin")["steps"])

    def commit_estate(
        self,
        text: str,
        *,
        files: Mapping[str, str] | None = None,
        take_away: bool = False,
        preview: bool = False,
        why: str = "",
        key: str | None = None,
    ) -> Answer[Any]:
        """Do what an estate file says, all of it or nothing; a preview tells all that stands against it.

        Args:
            files: the texts of the plans that it names, by the names that it has for them.
            take_away: also take away what is not in the file, of the sections that it has.

        Raises:
            BadEstate, EstateNotPossible.
        """
        body = {"text": text, "take_away": take_away, **({"files": files} if files else {})}
        return self.change("POST", "estate", body, preview=preview, why=why, key=key)

    def take_out(self, path: str, form: str, **filters: Any) -> Iterator[bytes]:
        """A whole list as a file (``csv``, ``xlsx`` or ``jsonl``), piece by piece, in bounded memory.

        Args:
            path: of the list, such as ``subnets``, ``keep-outs`` or ``ledger``; `filters` are those of the list.

        Example:
            >>> client = Client(url, token)
            >>> b"".join(client.take_out("zones", "csv", region="mainland")).decode().splitlines()[1]
            'ml-1,mainland,hall,machine-hall-east,,,,,'

        Raises:
            NotReachable: no answer after all retries, or not all of it.
            Problem: the service refuses.
        """
        return self._streamed(Call("GET", path, {**filters, "as": form}), lambda answer: answer.iter_bytes())

    def _streamed(self, call: Call, read: Callable[[Any], Iterator[Any]]) -> Iterator[Any]:
        """What comes with an answer, as it comes; asked for again only while nothing has."""
        import httpx

        tries, told = Tries(call, self.url, self.retries), False
        while True:
            try:
                with self.http.stream(**call.for_httpx(self.url)) as answer:
                    if not answer.is_success:
                        answer.read()
                    if (pause := tries.refused(answer)) is None:
                        for piece in read(answer):
                            told = True
                            yield piece
                        return
            except (httpx.RequestError, httpx.InvalidURL, ValueError) as error:
                pause = tries.lost(error, again=not told)
            time.sleep(pause)

    def call(
        self,
        method: str,
        path: str,
        *,
        query: Mapping[str, Any] | None = None,
        body: Mapping[str, Any] | None = None,
        headers: Mapping[str, str] | None = None,
        safe: bool = False,
    ) -> httpx.Response:
        """One call, tried again while the service is away or busy and it is safe to.

        Args:
            safe: the call changes nothing, although it is no GET.

        Raises:
            NotReachable: no answer after all retries.
            Problem: the service refuses.
        """
        import httpx

        call = Call(method, path, query, body, headers, safe)
        tries = Tries(call, self.url, self.retries)
        while True:
            try:
                answer = self.http.request(**call.for_httpx(self.url))
            except (httpx.RequestError, httpx.InvalidURL) as error:
                pause = tries.lost(error)
            else:
                waiting = tries.refused(answer)
                if waiting is None:
                    return answer
                pause = waiting
            time.sleep(pause)

    def _worked_out(self, path: str, body: Mapping[str, Any]) -> Record:
        return dict(self.call("POST", path, body=body, safe=True).json())

    def _record(self, path: str, query: Mapping[str, Any] | None = None) -> Record:
        return dict(self.call("GET", path, query=query).json())


def sign_in(url: str, name: str, password: str, token_name: str, code: str = "") -> tuple[str, Record]:
    """Sign in with a password, and the code of a second factor if there is one, and make a token; returns its text and the
    person.

    Making the token is not tried again: its text is told once.

    Raises:
        SecondFactorNeeded: a code is needed as well.
        Problem, NotReachable: as for every call.
    """
    client = Client(url, retries=1)
    given = {"name": name, "password": password, **({"code": code} if code else {})}
    person = client.call("POST", "session", body=given).json()
    headers = {
        "X-CSRFToken": client.http.cookies.get("lentra_csrf") or "",
        "Referer": url,
    }
    made = client.call("POST", "tokens", body={"name": token_name}, headers=headers).json()
    return str(made["result"]["text"]), dict(person)


def ways_to_sign_in(url: str) -> Record:
    """How one can sign in at a service: ``password`` (everybody, admins, nobody), and ``sign_on`` if there is one."""
    return dict(Client(url).call("GET", "session/ways").json())


def new_challenge() -> tuple[str, str]:
    """A verifier, which a terminal keeps to itself, and its challenge, which it shows (RFC 7636, S256)."""
    verifier = secrets.token_urlsafe(48)
    challenge = base64.urlsafe_b64encode(hashlib.sha256(verifier.encode()).digest()).rstrip(b"=").decode()
    return verifier, challenge


def sign_in_with_code(url: str, code: str, verifier: str) -> tuple[str, Record]:
    """Turn a code that the console gave for one's challenge into a token; returns its text and the person.

    It is not tried again: the token's text is told once.

    Raises:
        Problem, NotReachable: as for every call.
    """
    made = Client(url, retries=1).call("POST", "session/terminal/token", body={"code": code, "verifier": verifier})
    text = str(made.json()["text"])
    return text, Client(url, text).me()
