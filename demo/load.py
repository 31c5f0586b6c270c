"""`python demo/load.py FOLDER SIGN_INS`: load a scenario into an empty registry, by the public operations.

Its history is made under a set clock, in the order in which it happened.
"""

from __future__ import annotations

import argparse
import json
import os
import secrets
import sys
from collections.abc import Callable, Iterator
from datetime import UTC, datetime, timedelta
from functools import partial
from pathlib import Path
from typing import Any

import django
import yaml
from django.conf import settings

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "lentra.service.settings")
django.setup()  # before any record is imported

from lentra.addressing.prefix import address_text, parse_range
from lentra.registry.estate.estate import commit_estate, read_estate
from lentra.registry.foresight.readings import take_readings
from lentra.registry.intakes.asking import ask_to_commit, upload_intake
from lentra.registry.intakes.work import do_work
from lentra.registry.lookup.find import find
from lentra.registry.lookup.serving import serving_pools
from lentra.registry.models import (
    Address,
    DnsZone,
    Intake,
    IntakeWork,
    KeepOut,
    Person,
    Pool,
    Project,
    Realm,
    Source,
    Subnet,
    Tier,
    WaitingRequest,
    Zone,
)
from lentra.registry.operations.dns.keep_dns_zone import add_dns_record, add_dns_zone, add_reverse_zones
from lentra.registry.operations.findings.keep_source import add_source
from lentra.registry.operations.findings.take_survey import take_survey
from lentra.registry.operations.people.manage_people import add_person
from lentra.registry.operations.people.tokens import add_token
from lentra.registry.operations.plans.commit_plan import commit_plan
from lentra.registry.operations.pools.add_keep_out import remove_keep_out
from lentra.registry.operations.renumbering import waves
from lentra.registry.operations.renumbering.laying import Wanted
from lentra.registry.operations.renumbering.renumber import start_renumbering
from lentra.registry.operations.reservations.reserve import ReservationRequest, reserve
from lentra.registry.operations.setup.add_record import add_record
from lentra.registry.operations.setup.edit_record import edit_record
from lentra.registry.operations.subnets.attach_address import attach_address
from lentra.registry.operations.subnets.edit_subnet import edit_subnet
from lentra.registry.operations.subnets.give_back import give_back_subnet
from lentra.registry.operations.subnets.hand_out import hand_out
from lentra.registry.operations.subnets.record_addresses import AddressRequest, record_addresses
from lentra.registry.operations.waiting.ask import MustWait, ask, keep_waiting
from lentra.registry.operations.waiting.decide import Decision, grant, refuse
from lentra.registry.operations.waiting.handle import say
from lentra.registry.operations.waiting.performing import Asking
from lentra.registry.plans.reading import read_plan
from lentra.registry.requests.request import SubnetRequest
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.clock import SetClock
from lentra.registry.transactions.run import run_transaction
from lentra.registry.upkeep import expire_all_due, run_upkeep
from lentra.sources.documents import read_document

_SET_UP_DAYS = 730
_READINGS_DAILY = timedelta(days=180)  # before that, one a week is enough to look back


def main() -> None:
    """Load the scenario of a folder, and keep names, passwords and tokens in a file."""
    parser = argparse.ArgumentParser(description="Load a scenario's data files into an empty registry.")
    parser.add_argument("scenario", type=Path, help="folder with estate.yaml and scenario.yaml")
    parser.add_argument("sign_ins", type=Path, help="where to keep names, passwords and tokens")
    options = parser.parse_args()
    if Realm.objects.exists():
        sys.exit("the registry is not empty")
    scenario = yaml.safe_load((options.scenario / "scenario.yaml").read_text())
    loader = Loader(scenario, options.scenario, datetime.now(UTC).replace(microsecond=0))
    loader.places()
    people = loader.people()
    loader.pools()
    loader.history()
    loader.intakes()
    loader.surveys()
    descriptor = os.open(options.sign_ins, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
    with os.fdopen(descriptor, "w") as file:
        json.dump(people, file, indent=1)
    print(f"{Pool.objects.count()} pools, {Subnet.objects.count()} subnets")


class Loader:
    """Loads a scenario as of a given moment."""

    def __init__(self, scenario: dict[str, Any], folder: Path, today: datetime) -> None:
        self.scenario = scenario
        self.folder = folder
        self.today = today
        self.actor: Person | None = None
        self.clock = SetClock(today - timedelta(days=_SET_UP_DAYS))

    def places(self) -> None:
        """Realms, rule sheets, regions, zones, tiers, projects of the estate file."""
        self._estate("pools", "keep-outs", "links")

    def pools(self) -> None:
        """The rest of it, pools, keep-outs and links, by the planner."""
        data = self.scenario
        self.actor = Person.objects.filter(role="planner").first()
        for lifted in data["lifted_keep_outs"]:
            family, first, _ = parse_range(lifted["range"])
            keep_out = KeepOut.objects.get(realm__name=lifted["realm"], family=family, first=first)
            self._do(remove_keep_out, keep_out, why=lifted["why"])
        self._estate()
        for dates in data["keep_out_dates"]:
            realm, _, text = dates["of"].partition(":")
            family, first, last = parse_range(text)
            keep_out = KeepOut.objects.get(realm__name=realm, family=family, first=first, last=last)
            values = {"since": (self.today - timedelta(days=dates["since"])).date()}
            if "review" in dates:
                values["review_on"] = (self.today + timedelta(days=dates["review"])).date()
            self._do(edit_record, "keep-out", keep_out.pk, values)
        for values in data["tag_ranges"]:
            for field, model in (("zone", Zone), ("tier", Tier)):
                if field in values:
                    values[field] = find(model, values[field])
            self._do(add_record, "tag range", values)

    def _estate(self, *later: str) -> None:
        """Commit the estate file, but for some sections."""
        document, lines = read_estate((self.folder / "estate.yaml").read_text())
        part = {name: entries for name, entries in document.items() if name not in later}
        self._do(commit_estate, part, lines, why="the set-up as its file says")

    def intakes(self) -> None:
        """Tables that are brought in, by the planner, as people would: uploaded, looked at, committed."""
        for given in self.scenario["intakes"]:
            file = self.folder / given["file"]
            options = yaml.safe_load((self.folder / given["mapping"]).read_text())
            self._do(upload_intake, file.name, given["table"], file.read_bytes(), options, 1 << 20)
            work = IntakeWork.objects.get(intake=Intake.objects.latest("pk"))
            do_work(work, self.clock)
            work.refresh_from_db()
            self._do(ask_to_commit, work.pk, work.proposal, False, why=given["why"])
            do_work(work, self.clock)
            assert Intake.objects.get(pk=work.pk).state == "committed", IntakeWork.objects.get(pk=work.pk).fault

    def surveys(self) -> None:
        """What sources have seen this morning, which differs from the registry in telling ways."""
        for given in self.scenario["sources"]:
            document = given.pop("sightings", None)
            if given["kind"] == "inventory" and (provider := os.environ.get("LENTRA_DEMO_PROVIDER")):
                given["address"], given["credential"] = provider, os.environ["LENTRA_DEMO_PROVIDER_TOKEN"]
            self._do(add_source, given | {"realm": find(Realm, given["realm"])})
            if document is None:
                continue
            text = json.loads((self.folder / document).read_text())
            seen, at = read_document(text, self.clock.now())
            self._do(take_survey, find(Source, given["name"]).pk, seen, at)
        self._names()
        for rule in self.scenario["taking_rules"]:
            of = {"realm": Realm, "source": Source, "project": Project}
            self._do(
                add_record, "taking rule", rule | {name: find(model, rule[name]) for name, model in of.items()}
            )

    def _names(self) -> None:
        """DNS zones, with the demo's name server if there is one, and records by hand."""
        server = os.environ.get("LENTRA_DEMO_NAME_SERVER", "")
        served = {"address": server, "credential": os.environ.get("LENTRA_DEMO_NAME_SERVER_KEY", "")}
        for n, given in enumerate(self.scenario["dns_zones"]):
            given |= {"realm": find(Realm, given["realm"])}
            given |= {"project": find(Project, given["project"])} if "project" in given else {}
            if n == 0:
                given |= served if server else {"every": None}
            self._do(add_dns_zone, given)
        for given in self.scenario["reverse_dns_zones"]:
            realm, like = find(Realm, given.pop("realm")), given.pop("like", None)
            ranges = [parse_range(text) for text in given.pop("ranges")]
            given |= {"project": find(Project, given["project"])} if "project" in given else {}
            self._do(add_reverse_zones, realm, ranges, find(DnsZone, like) if like else None, given)
        for given in self.scenario["dns_records"]:
            self._do(add_dns_record, {"dns_zone": find(DnsZone, given.pop("of")), **given})

    def history(self) -> None:
        """All hand-outs and releases, oldest first."""
        events = sorted(self._events(), key=lambda event: (-event[0], event[1]))
        for days, _, work, why in events:
            self._pass_until(self.today - timedelta(days=days))
            if isinstance(work, partial) and work.func == self._ask:
                work()
            else:
                self._do(work, why=why)
        self._pass_until(self.today)
        while run_upkeep(self.clock, alert_within_days=settings.ALERT_DAYS)["outlooks"]:
            pass

    def _pass_until(self, moment: datetime) -> None:
        """Let time pass: what ends is ended each day, and readings are taken."""
        while self.clock.moment.date() < moment.date():
            end_of_day = self.clock.moment.replace(hour=23, minute=50)
            self.clock.moment = max(self.clock.moment, end_of_day)
            expire_all_due(self.clock)
            if self.clock.moment > self.today - _READINGS_DAILY or self.clock.moment.weekday() == 0:
                take_readings(self.clock)
            morning = (self.clock.moment + timedelta(days=1)).replace(hour=6, minute=0)
            self.clock.moment = min(morning, moment)  # nothing happens after today's present moment
        self.clock.moment = max(self.clock.moment, moment)
        expire_all_due(self.clock)

    def people(self) -> list[dict[str, str]]:
        """Add the people, and service accounts; returns the sign-ins of people."""
        for values in self.scenario.get("service_accounts", ()):
            self._do(add_person, values | {"service_of": find(Project, values["service_of"])}, None, [])
        for values in self.scenario.get("group_mappings", ()):
            project = find(Project, values["project"]) if "project" in values else None
            self._do(add_record, "group mapping", values | {"project": project})
        sign_ins = []
        for values in self.scenario["people"]:
            projects = [find(Project, name) for name in values.pop("projects", [])]
            password = secrets.token_urlsafe(12)
            self._do(add_person, values, password, projects)
            person = Person.objects.get(name=values["name"])
            token = run_transaction(
                partial(add_token, person=person, name="demo"),
                clock=self.clock,
                render=lambda made, _: made[1],
            ).answer
            sign_ins.append({"role": person.role, "name": person.name, "password": password, "token": token})
        return sign_ins

    def _events(self) -> Iterator[tuple[float, int, Callable[[Change], Any], str]]:
        number = 0
        for days, work, why in (*self._waves(), *self._seasons(), *self._leaving()):
            number += 1
            yield days, number, work, why
        works: tuple[tuple[str, Callable[..., Any]], ...] = (
            ("reservations", self._reserve),
            ("plans", self._commit_plan),
            ("inside", self._fix_inside),
            ("attached", self._attach),
            ("given_back", self._give_back),
            ("needs", self._need),
            ("tag_members", self._tag_member),
            ("waiting", self._ask),
            ("renumberings", self._renumber),
        )
        for section, doing in works:
            for row in self.scenario[section]:
                number += 1
                yield row["days"], number, partial(doing, row=row), row.get("why", "")

    def _waves(self) -> Iterator[tuple[float, Callable[[Change], Any], str]]:
        for wave in self.scenario["waves"]:
            for days, wanted in self._spread(wave, *wave["days"]):
                yield days, partial(hand_out, request=wanted), ""

    def _seasons(self) -> Iterator[tuple[float, Callable[[Change], Any], str]]:
        """What is handed out before each season of the years there are, and given back after it."""
        for season in self.scenario["seasons"]:
            for year in range(self.today.year - 2, self.today.year + 1):
                first, last = (
                    (self.today - datetime.fromisoformat(f"{year}-{season[word]}").replace(tzinfo=UTC)).days
                    for word in ("from", "until")
                )
                purpose = f"{season['purpose']} {year}"
                lead = season["over_days"]
                if not lead < first < _SET_UP_DAYS - lead:
                    continue
                for days, wanted in self._spread(season | {"purpose": purpose}, first + lead, first):
                    yield days, partial(hand_out, request=wanted), ""
                if last > 0:
                    row = {"pool": season["pool"], "purpose": purpose, "every": 1}
                    yield last, partial(self._give_back, row=row), f"the season of {year} is over"

    def _leaving(self) -> Iterator[tuple[float, Callable[[Change], Any], str]]:
        """Pools that are being emptied: the oldest subnet again and again, spread over some days."""
        for row in self.scenario["leaving"]:
            start, end = row["days"]
            for n in range(row["subnets"]):
                days = start - (start - end) * n / max(1, row["subnets"] - 1)
                yield days, partial(self._give_back, row={"pool": row["pool"], "oldest": 1}), row["why"]

    def _spread(self, wave: dict[str, Any], start: float, end: float) -> Iterator[tuple[float, SubnetRequest]]:
        """The requests of a wave in every zone and tier, spread over its days."""
        asked = [
            (zone, tier, hosts)
            for _ in range(wave.get("each", 1))
            for zone in wave["zones"]
            for tier, hosts in wave["tiers"].items()
        ]
        for n, (zone, tier, hosts) in enumerate(asked):
            yield start - (start - end) * n / max(1, len(asked) - 1), self._wanted(wave, zone, tier, hosts)

    def _wanted(self, wave: dict[str, Any], zone: str, tier: str, hosts: int) -> SubnetRequest:
        pool = wave.get("pool")
        if pool is None:
            place = find(Zone, zone, related=("region",))
            pool = next(p.name for p in serving_pools(4, None, zone=place) if p.zone_id == place.pk)
        return SubnetRequest(
            pool=pool,
            project=wave["project"],
            tier=tier,
            zone=zone,
            families=wave.get("families", [4]),
            hosts=hosts,
            growth=wave.get("growth", 0),
            purpose=wave["purpose"],
            room=wave.get("room", 0),
            gateway=wave.get("gateway", "none"),
            labels={"season": "summer"} if tier == "edge" else {},
        )

    def _reserve(self, change: Change, row: dict[str, Any]) -> None:
        values = {name: value for name, value in row.items() if name not in ("days", "ends")}
        if "range" in values:
            values["range"] = parse_range(values["range"])
        for name, model in (("projects", Project), ("tiers", Tier)):
            values[name] = [find(model, each) for each in values.get(name, [])]
        if "ends" in row:
            values["ends_at"] = self.today + timedelta(days=row["ends"])
        reserve(change, ReservationRequest(**values))

    def _commit_plan(self, change: Change, row: dict[str, Any]) -> None:
        source = (self.folder / row["file"]).read_text()
        commit_plan(change, read_plan(source), source)

    def _fix_inside(self, change: Change, row: dict[str, Any]) -> None:
        subnet = find(Subnet, row["subnet"])
        values = dict(row.get("values", {}))
        first = subnet.blocks()[0].first

        def there(*offsets: int) -> str:
            return "-".join(address_text(4, first + offset) for offset in offsets)

        spans = row.get("dhcp", [])
        values["dhcp"] = [
            there(*span) for span in (spans if spans and isinstance(spans[0], list) else [spans]) if span
        ]
        if "excluded" in row:
            values["dhcp_excluded"] = [there(*row["excluded"])]
        if "service" in row:
            values["dhcp_service"] = there(row["service"])
        edit_subnet(change, subnet.pk, values)
        for record in row["records"]:
            record_addresses(change, subnet.pk, AddressRequest(**record))

    def _attach(self, change: Change, row: dict[str, Any]) -> None:
        held = Subnet.objects.filter(project__name=row["project"], pool__exposure="public", state="active")
        for n, subnet in enumerate(list(held.order_by("pk"))[: -row["idle"]]):
            target = row["targets"][n % len(row["targets"])]
            if n == 0:
                record = Address.objects.get(name=row["record"])
                attach_address(change, subnet.pk, record=record.pk)
                continue
            attach_address(change, subnet.pk, f"{target}-{n // len(row['targets']) + 1}")

    def _give_back(self, change: Change, row: dict[str, Any]) -> None:
        """Every n-th subnet of a project or pool, all but every n-th, or the oldest few."""
        chosen = {"project": "project__name", "pool": "pool__name", "purpose": "purpose"}
        filters = {column: row[word] for word, column in chosen.items() if word in row}
        subnets = list(Subnet.objects.filter(state="active", **filters).order_by("pk"))
        if "oldest" in row:
            subnets = subnets[: row["oldest"]]
        elif "keep_every" in row:
            subnets = [subnet for n, subnet in enumerate(subnets) if n % row["keep_every"]]
        else:
            subnets = subnets[:: row["every"]]
        for subnet in subnets:
            give_back_subnet(change, subnet.pk, despite_use=True)

    def _tag_member(self, change: Change, row: dict[str, Any]) -> None:
        values = {name: value for name, value in row.items() if name != "days"}
        add_record(change, "tag member", values | {"subnet": find(Subnet, row["subnet"])})

    def _need(self, change: Change, row: dict[str, Any]) -> None:
        values = {name: value for name, value in row.items() if name not in ("days", "ahead")}
        values |= {"pool": find(Pool, row["pool"]), "day": (self.today + timedelta(days=row["ahead"])).date()}
        if "project" in row:
            values["project"] = find(Project, row["project"])
        add_record(change, "planned need", values)

    def _renumber(self, change: Change, row: dict[str, Any]) -> None:
        """Start a renumbering, or a step of one."""
        name, subnets = row["name"], row.get("subnets", [])
        part = waves.Part(row.get("wave"), subnets)
        if row["do"] == "start":
            by = (self.today + timedelta(days=row["by"])).date()
            start_renumbering(
                change, name, Wanted(**row["wanted"]), waves=row["waves"], by=by, reason=row["reason"]
            )
        elif row["do"] == "moved":
            waves.set_moved(change, name, subnets, row.get("hosts", []))
        elif row["do"] == "check":
            waves.set_check(change, name, subnets, row["check"])
        else:
            {"begin": waves.begin_wave, "finish": waves.finish_wave}[row["do"]](change, name, part)

    def _ask(self, row: dict[str, Any]) -> None:
        """Ask for what waits for a planner, talk about it, and decide on it, if that is said."""
        asker, needed = Person.objects.get(name=row["asker"]), self.today + timedelta(days=row["needed"])
        asking = Asking("subnets", row["values"], needed_by=needed.date(), links=row.get("links", []))
        common = {"clock": self.clock, "actor": asker, "why": row["why"]}
        try:
            run_transaction(lambda change: ask(change, asking), **common)
        except MustWait as stopped:
            run_transaction(lambda change, waits=stopped.waits: keep_waiting(change, waits), **common)
        number = WaitingRequest.objects.latest("pk").pk
        for said in row.get("said", []):
            for name, text in said.items():
                self.clock.moment += timedelta(minutes=50)
                talker = Person.objects.get(name=name)
                run_transaction(
                    lambda change, text=text: say(change, number, text), clock=self.clock, actor=talker
                )
        if "grant" in row:
            self._do(grant, number, Decision(row["grant"]))
        if "refuse" in row:
            self._do(refuse, number, row["refuse"])

    def _do(self, operation: Callable[..., Any], *values: Any, why: str = "") -> None:
        run_transaction(lambda change: operation(change, *values), clock=self.clock, actor=self.actor, why=why)


if __name__ == "__main__":
    main()
