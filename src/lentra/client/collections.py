"""What a client has of each kind of record, and what can be done with them."""

from __future__ import annotations

import time
from base64 import b64encode
from collections.abc import Callable, Iterator, Mapping, Sequence
from datetime import UTC, datetime
from typing import Any

from lentra.client.answers import Answer, Caller, Record, part

Numbers = str | int | Sequence[str | int]


class Collection:
    """The records of one kind.

    Example:
        >>> client = Client(url, token)
        >>> client.tiers.get("data")["exposure"]
        'isolated'
        >>> client.tiers.add(name="lab", exposure="isolated", preview=True).result["name"]
        'lab'
    """

    def __init__(self, client: Caller, path: str) -> None:
        self.client = client
        self.path = path

    def list(self, **filters: Any) -> Iterator[Record]:
        """Records that match the filters."""
        return self.client.pages(self.path, filters)

    def get(self, ref: str | int) -> Record:
        """One record, by name or number (realm:name where several realms have the name)."""
        return dict(self.client.call("GET", f"{self.path}/{part(ref)}").json())

    def use(self, ref: str | int) -> Record:
        """What uses the record, and which of its fields are fixed."""
        return dict(self.client.call("GET", f"{self.path}/{part(ref)}/use").json())

    def add(self, *, preview: bool = False, why: str = "", **values: Any) -> Answer[Any]:
        """Add a record."""
        return self.client.change("POST", self.path, values, preview=preview, why=why)

    def edit(
        self,
        ref: str | int,
        *,
        preview: bool = False,
        why: str = "",
        if_version: int | None = None,
        **values: Any,
    ) -> Answer[Any]:
        """Set values on a record; with ``if_version`` only if it has not changed since that version."""
        path = f"{self.path}/{part(ref)}"
        return self.client.change("PATCH", path, values, preview=preview, why=why, version=if_version)

    def remove(self, ref: str | int, *, preview: bool = False, why: str = "") -> Answer[Any]:
        """Remove a record that nothing uses."""
        return self.client.change("DELETE", f"{self.path}/{part(ref)}", preview=preview, why=why)


class Pools(Collection):
    """Pools; ``add`` with ``parent`` carves one out of another."""

    def add_range(
        self,
        ref: str | int,
        range: str | None = None,
        *,
        length: int | None = None,
        family: int = 4,
        preview: bool = False,
        why: str = "",
    ) -> Answer[Any]:
        """Add a range to a pool; a carved one takes it (or one of ``length``) from its parent."""
        path = f"pools/{part(ref)}/ranges"
        body = {"range": range} if range is not None else {"length": length, "family": family}
        return self.client.change("POST", path, body, preview=preview, why=why)

    def change_range(
        self,
        ref: str | int,
        old: str,
        new: str,
        *,
        rebase: bool = False,
        preview: bool = False,
        why: str = "",
        **more: Any,
    ) -> Answer[Any]:
        """Put another range in the place of one; what lives in it moves only with ``rebase`` or a ``proposal``."""
        body = {"old": old, "new": new, "rebase": rebase, **more}
        return self.client.change("POST", f"pools/{part(ref)}/change-range", body, preview=preview, why=why)

    def remove_range(self, ref: str | int, range: str, *, preview: bool = False, why: str = "") -> Answer[Any]:
        """Take a range out of a pool in which nothing lives any more; a carved one's falls back to its parent."""
        body = {"range": range}
        return self.client.change("POST", f"pools/{part(ref)}/remove-range", body, preview=preview, why=why)

    def seen(self, ref: str | int) -> list[Record]:
        """How much of what is handed out in a pool sources see, by family."""
        return list(self.client.call("GET", f"pools/{part(ref)}/seen").json())

    def gaps(self, ref: str | int, **query: Any) -> Iterator[Record]:
        """Every run of free space of a pool, in order; ``family``, and ``length`` that must fit."""
        return self.client.pages(f"pools/{part(ref)}/gaps", query)

    def second_family(self, ref: str | int, *, preview: bool = False, why: str = "", **how: Any) -> Answer[Any]:
        """Give every subnet of the pool an IPv6 block; ``numbering`` by number or by tag, ``within`` a prefix."""
        return self.client.change("POST", f"pools/{part(ref)}/second-family", how, preview=preview, why=why)

    def usage(self, ref: str | int) -> Record:
        """Usage of the pool by itself (``own``) and with the pools carved from it (``with_carved``)."""
        return dict(self.client.call("GET", f"pools/{part(ref)}/usage").json())

    def headroom(self, ref: str | int, **window: Any) -> list[Record]:
        """Per family: readings, growth, when each threshold is reached, and how long each length lasts."""
        return list(self.client.call("GET", f"pools/{part(ref)}/headroom", query=window).json())

    def what_if(self, ref: str | int, **supposed: Any) -> Record:
        """How long a pool lasts today, and with ``ranges``, a plan (``text`` or ``document``), ``growth_percent``,
        ``needs``, ``give_back`` or ``give_back_idle``. Nothing is changed.

        Example:
            >>> client = Client(url, token)
            >>> client.pools.what_if("quay-cameras", growth_percent=200)["done"]
            ["growth at 200 % of today's pace"]
        """
        path = f"pools/{part(ref)}/what-if"
        return dict(self.client.call("POST", path, body=supposed, safe=True).json())

    def compaction(self, ref: str | int, length: int, family: int = 4) -> Record:
        """Which few blocks to move so that a block of ``length`` fits again."""
        query = {"length": length, "family": family}
        return dict(self.client.call("GET", f"pools/{part(ref)}/compaction", query=query).json())


class ApprovalRules(Collection):
    """Approval rules: which requests wait for a planner."""

    def try_on(self, **wanted: Any) -> Record:
        """What would become of a request for subnets if a requester made it; nothing is asked for.

        Example:
            >>> client = Client(url, token)
            >>> asked = {"project": "ticketing", "tier": "app", "zone": "ml-1", "pool": "ticket-hall"}
            >>> client.approval_rules.try_on(**asked, length=26)["decision"]
            'granted'
        """
        return dict(self.client.call("POST", "approval-rules/try", body=wanted, safe=True).json())


class Waiting(Collection):
    """Requests that wait for a planner, or did."""

    def beside(self, number: int) -> Record:
        """Its pool before and after, and other pools that may serve."""
        return dict(self.client.call("GET", f"{self.path}/{number}/beside").json())

    def conversation(self, number: int) -> Iterator[Record]:
        """What was said about it, and what became of it, the first first."""
        return self.client.pages(f"{self.path}/{number}/conversation", {})

    def grant(
        self,
        number: int,
        values: Mapping[str, Any] | None = None,
        *,
        anew: bool = False,
        preview: bool = False,
        why: str = "",
    ) -> Answer[Any]:
        """Grant it: just what was shown; with ``values`` something else; ``anew`` whatever takes its place."""
        body = {"values": dict(values or {}), "anew": anew}
        return self._do(number, "grant", body, preview, why)

    def refuse(self, number: int, reason: str, *, preview: bool = False, why: str = "") -> Answer[Any]:
        """Refuse it, with a reason."""
        return self._do(number, "refuse", {"reason": reason}, preview, why)

    def withdraw(self, number: int, *, preview: bool = False, why: str = "") -> Answer[Any]:
        """Withdraw one's own."""
        return self._do(number, "withdraw", {}, preview, why)

    def pass_on(self, number: int, to: str | int | None, *, preview: bool = False, why: str = "") -> Answer[Any]:
        """Pass it on to another planner, or to any of them."""
        return self._do(number, "pass-on", {"to": to}, preview, why)

    def say(self, number: int, text: str, *, preview: bool = False, why: str = "") -> Answer[Any]:
        """Say something about it."""
        return self._do(number, "say", {"text": text}, preview, why)

    def _do(self, number: int, what: str, body: Mapping[str, Any], preview: bool, why: str) -> Answer[Any]:
        return self.client.change("POST", f"{self.path}/{number}/{what}", body, preview=preview, why=why)


class Subnets(Collection):
    """Subnets; `Client.request` and `Client.release` make and end them."""

    def headroom(self, ref: str | int) -> list[Record]:
        """How far each of its blocks can grow in place, and what is in the way."""
        return list(self.client.call("GET", f"subnets/{part(ref)}/headroom").json())

    def grow(self, ref: str | int, *, preview: bool = False, why: str = "", **how: Any) -> Answer[Any]:
        """Grow in place, to ``length`` or until ``hosts`` fit; ``downward``, ``second``: on explicit word."""
        return self._do(ref, "grow", how, preview, why)

    def shrink(self, ref: str | int, *, preview: bool = False, why: str = "", **how: Any) -> Answer[Any]:
        """Give back the unused part: keep ``length``, so many ``hosts``, or the part ``keep``."""
        return self._do(ref, "shrink", how, preview, why)

    def keep_room(self, ref: str | int, doublings: int, *, preview: bool = False, why: str = "") -> Answer[Any]:
        """Keep so many doublings free behind the block."""
        return self._do(ref, "room", {"doublings": doublings}, preview, why)

    def replace(self, ref: str | int, *, preview: bool = False, why: str = "", **new: Any) -> Answer[Any]:
        """A new subnet in the place of this one, which retires until it is given back."""
        return self._do(ref, "replace", new, preview, why)

    def confirm(self, ref: str | int, *, preview: bool = False, why: str = "") -> Answer[Any]:
        """Turn a held subnet into an active one."""
        return self._do(ref, "confirm", {}, preview, why)

    def bring_back(self, ref: str | int, *, preview: bool = False, why: str = "") -> Answer[Any]:
        """Have a subnet that cools in use again."""
        return self._do(ref, "bring-back", {}, preview, why)

    def hand_over(self, ref: str | int, project: str, *, preview: bool = False, why: str = "") -> Answer[Any]:
        """Hand a subnet over to another project."""
        return self._do(ref, "hand-over", {"project": project}, preview, why)

    def attach(
        self,
        ref: str | int,
        target: str = "",
        *,
        move: bool = False,
        preview: bool = False,
        why: str = "",
        **more: Any,
    ) -> Answer[Any]:
        """Attach a public address to a target, or to an address ``record`` (its number or address).

        ``how``: one-to-one, or many-to-one with a ``purpose``.
        """
        return self._do(ref, "attach", {"target": target, "move": move, **more}, preview, why)

    def detach(self, ref: str | int, *, preview: bool = False, why: str = "") -> Answer[Any]:
        """Detach a public address."""
        return self._do(ref, "detach", {}, preview, why)

    def record(
        self, ref: str | int, name: str | None = None, *, preview: bool = False, why: str = "", **what: Any
    ) -> Answer[Any]:
        """Record an ``address`` of the subnet, or the next free one, ``count`` of them, or all of ``records``."""
        return self._do(ref, "addresses", {**({"name": name} if name else {}), **what}, preview, why)

    def address_map(self, ref: str | int) -> Record:
        """What each address of the subnet's blocks is for."""
        return dict(self.client.call("GET", f"subnets/{part(ref)}/address-map").json())

    def _do(self, ref: str | int, what: str, body: Mapping[str, Any], preview: bool, why: str) -> Answer[Any]:
        return self.client.change("POST", f"subnets/{part(ref)}/{what}", body, preview=preview, why=why)

    def history(self, ref: str | int) -> list[Record]:
        """Ledger entries of a subnet, newest first; by number also after it is gone."""
        return list(self.client.pages(f"subnets/{part(ref)}/history", {"limit": 1000}))

    def neighbours(self, ref: str | int) -> Any:
        """What lies around each block of a subnet."""
        return list(self.client.call("GET", f"subnets/{part(ref)}/neighbours").json())


class KeepOuts(Collection):
    """Keep-outs, one by one or several together."""

    def several(
        self, rows: Sequence[Mapping[str, Any]], *, preview: bool = False, why: str = "", **shared: Any
    ) -> Answer[Any]:
        """Add all of ``rows`` or none; ``realm`` and whatever else is ``shared`` holds for each that does not say it."""
        body = {**shared, "rows": [dict(row) for row in rows]}
        return self.client.change("POST", "keep-outs/several", body, preview=preview, why=why)


class Projects(Collection):
    """Projects, and what they hold."""

    def holdings(self, ref: str | int, **query: Any) -> Iterator[Record]:
        """All that a project holds: pools, reservations, plans, planned needs, subnets, with their ranges."""
        return self.client.pages(f"projects/{part(ref)}/holdings", query)

    def totals(self, ref: str | int) -> Record:
        """Counts of what a project holds, and its quota of public addresses."""
        return dict(self.client.call("GET", f"projects/{part(ref)}/totals").json())


class Plans(Collection):
    """Plans, given as text (YAML or JSON) or as a mapping.

    Example:
        >>> client = Client(url, token)
        >>> seen = client.plans.preview({
        ...     "format": "lentra-plan-1", "name": "gate-readers", "project": "ticketing",
        ...     "pools": {"ipv4": "fleet:ticket-hall"}, "zones": ["ml-1", "ml-2"],
        ...     "tiers": [{"tier": "app", "hosts": 11}, {"tier": "data", "length": 28}],
        ... })
        >>> seen.result["possible"], seen.result["counts"]["added"]
        (True, 4)
    """

    def preview(self, plan: str | Mapping[str, Any], **options: Any) -> Answer[Any]:
        """What the plan comes to; its ``proposal`` makes a commit do exactly that."""
        return self._send(plan, True, "", options)

    def commit(self, plan: str | Mapping[str, Any], *, why: str = "", **options: Any) -> Answer[Any]:
        """Hand out what is not there yet, all or nothing; ``give_back`` what is no longer wanted."""
        return self._send(plan, False, why, options)

    def hold(self, plan: str | Mapping[str, Any], minutes: int, *, why: str = "", **options: Any) -> Answer[Any]:
        """Set the plan's space aside for some minutes; it falls back by itself unless committed."""
        return self._send(plan, False, why, {"hold_minutes": minutes, **options})

    def departures(self, ref: str | int) -> list[Record]:
        """Where the registry has departed from a committed plan."""
        return list(self.client.pages(f"plans/{part(ref)}/departures", {"limit": 1000}))

    def settle(self, ref: str | int, slot: str, how: str, *, preview: bool = False, why: str = "") -> Answer[Any]:
        """Settle the departure of a slot: ``take over`` into the plan, or ``put right``."""
        body = {"slot": slot, "how": how}
        return self.client.change("POST", f"plans/{part(ref)}/settle", body, preview=preview, why=why)

    def remove(
        self,
        ref: str | int,
        *,
        give_back: bool = False,
        despite_use: bool = False,
        preview: bool = False,
        why: str = "",
    ) -> Answer[Any]:
        """Remove a plan, with all its subnets given back if ``give_back`` (``despite_use``: also those in use inside)."""
        body = {"give_back": give_back, "despite_use": despite_use}
        return self.client.change("POST", f"plans/{part(ref)}/remove", body, preview=preview, why=why)

    def expect(
        self, plan: str | Mapping[str, Any], day: str, *, preview: bool = False, why: str = ""
    ) -> Answer[Any]:
        """Add what a plan would hand out as planned needs of its pools, on a day."""
        given = {"text": plan} if isinstance(plan, str) else {"document": dict(plan)}
        return self.client.change("POST", "expected-plans", {**given, "day": day}, preview=preview, why=why)

    def schema(self) -> Record:
        """The JSON Schema of the plan format."""
        return dict(self.client.call("GET", "plan-schema.json").json())

    def _send(
        self, plan: str | Mapping[str, Any], preview: bool, why: str, options: Mapping[str, Any]
    ) -> Answer[Any]:
        given = {"text": plan} if isinstance(plan, str) else {"document": dict(plan)}
        return self.client.change("POST", "plans", {**given, **options}, preview=preview, why=why)


class Intakes(Collection):
    """Tables that are brought in: uploaded, looked at, put right, committed, taken back."""

    def upload(
        self, name: str, table: str, content: bytes, options: Mapping[str, Any] | None = None, *, why: str = ""
    ) -> Record:
        """Upload a file, to be looked at.

        Args:
            name: the file's name.
            table: the kind of records in it: ``subnets``, ``address records``, ``keep-outs``…
            options: ``columns``, ``set``, ``values``, ``labels``, ``sheet``, ``encoding``, ``realm``, ``pool``,
                ``outer``, ``make_missing``, ``update``.
        """
        body = {
            "name": name,
            "table": table,
            "content": b64encode(content).decode(),
            "options": dict(options or {}),
        }
        return dict(self.client.change("POST", "intakes", body, why=why).result)

    def wait(
        self, number: int, told: Callable[[Record], None] = lambda intake: None, seconds: float = 3600
    ) -> Record:
        """The intake, once the service has done what it waits for.

        Args:
            told: called with the intake now and then meanwhile.

        Raises:
            TimeoutError: it takes longer than so many seconds.
        """
        end, pause = time.monotonic() + seconds, 0.1
        while (intake := self.get(number))["stage"]:
            told(intake)
            if time.monotonic() > end:
                raise TimeoutError(f"intake {number} {intake['stage']} for longer than {seconds:.0f} seconds")
            time.sleep(pause)
            pause = min(1.0, pause * 1.5)
        return intake

    def rows(self, number: int, **query: Any) -> Iterator[Record]:
        """What becomes of each row; of an ``outcome``, or of several."""
        return self.client.pages(f"intakes/{int(number)}/rows", {"limit": 1000, **query})

    def change(
        self,
        number: int,
        options: Mapping[str, Any] | None = None,
        cells: Mapping[int, Mapping[str, str]] | None = None,
    ) -> Record:
        """Say anew what its columns mean, or put cells right (row number -> heading -> text); it is looked at again."""
        body: Record = {"options": dict(options)} if options is not None else {}
        if cells:
            body["cells"] = [{"row": row, "cells": dict(said)} for row, said in cells.items()]
        return dict(self.client.change("PATCH", f"intakes/{int(number)}", body).result)

    def commit(self, number: int, proposal: str, *, good_rows: bool = False, why: str = "") -> Record:
        """Commit it as it was shown by the look with this ``proposal``; `wait` for it then."""
        body = {"proposal": proposal, "good_rows": good_rows}
        return dict(self.client.change("POST", f"intakes/{int(number)}/commit", body, why=why).result)

    def stop(self, number: int) -> Record:
        """Stop what is being done with it."""
        return dict(self.client.change("POST", f"intakes/{int(number)}/stop").result)

    def take_back(self, number: int, *, why: str = "") -> Record:
        """Take all back that it made; `wait` for it then."""
        return dict(self.client.change("POST", f"intakes/{int(number)}/take-back", why=why).result)

    def drop(self, number: int) -> Record:
        """Let an open one go."""
        return dict(self.client.change("DELETE", f"intakes/{int(number)}").result)

    def left(self, number: int, form: str = "csv") -> bytes:
        """The rows that were refused as a file, with why; ``csv``, ``xlsx`` or ``jsonl``."""
        return self.client.call("GET", f"intakes/{int(number)}/left", query={"as": form}).content


class Subscriptions(Collection):
    """Addresses to which changes are sent as they happen."""

    def pause(self, ref: str | int, reason: str = "", *, preview: bool = False, why: str = "") -> Answer[Any]:
        """Send nothing for now; what is changed meanwhile is sent once it goes on."""
        address = f"{self.path}/{part(ref)}/pause"
        return self.client.change("POST", address, {"reason": reason}, preview=preview, why=why)

    def resume(
        self, ref: str | int, after: int | None = None, *, preview: bool = False, why: str = ""
    ) -> Answer[Any]:
        """Go on sending, from where it stood or from behind a number of the ledger."""
        body = {} if after is None else {"after": after}
        return self.client.change("POST", f"{self.path}/{part(ref)}/resume", body, preview=preview, why=why)


class Tokens(Collection):
    """Tokens, and their successors."""

    def rotate(
        self,
        ref: str | int,
        *,
        overlap_hours: int = 24,
        expires_at: Any = None,
        preview: bool = False,
        why: str = "",
        **how: Any,
    ) -> Answer[Any]:
        """Make the successor of a token, which reaches as far; both live for some hours. A token may rotate itself.

        Example:
            >>> client = Client(url, token)
            >>> made = client.tokens.add(name="tide-table").result
            >>> client.tokens.rotate(made["id"], overlap_hours=48).result["replaces"] == made["id"]
            True
        """
        body = {"overlap_hours": overlap_hours, "expires_at": expires_at}
        return self.client.change("POST", f"tokens/{part(ref)}/rotate", body=body, preview=preview, why=why, **how)


class People(Collection):
    """People, their lock after failed sign-ins, and their tokens together."""

    def unlock(self, ref: str | int, *, preview: bool = False, why: str = "") -> Answer[Any]:
        """Forget the failed sign-ins with a person's name; for admins."""
        return self.client.change("POST", f"{self.path}/{part(ref)}/unlock", preview=preview, why=why)

    def second_factor_off(self, ref: str | int, *, preview: bool = False, why: str = "") -> Answer[Any]:
        """Turn off the second factor of somebody who has lost it."""
        return self.client.change("POST", f"people/{part(ref)}/second-factor-off", preview=preview, why=why)

    def by_sign_on(self, ref: str | int, *, preview: bool = False, why: str = "") -> Answer[Any]:
        """Have somebody sign in by single sign-on: the password is gone; for admins."""
        return self.client.change("POST", f"{self.path}/{part(ref)}/by-sign-on", preview=preview, why=why)

    def revoke_tokens(self, ref: str | int, *, preview: bool = False, why: str = "") -> Answer[Any]:
        """Make all tokens of a person useless: one's own, or anybody's by an admin."""
        return self.client.change("POST", f"{self.path}/{part(ref)}/revoke-tokens", preview=preview, why=why)


class Links(Collection):
    """Connections of two realms."""

    def meetings(self, ref: str | int) -> list[Record]:
        """What meets by a link: ``clashes`` in ``lines``, and ``shares``: which realm hands out what both have.

        Example:
            >>> client = Client(url, token)
            >>> client.links.meetings("pilot-tunnel")[0]["clashes"]["living"]
            0
        """
        return list(self.client.call("GET", f"{self.path}/{part(ref)}/meetings").json()["meetings"])


class Sources(Collection):
    """Places that tell what really exists."""

    def survey(
        self, ref: str | int, document: Mapping[str, Any], *, preview: bool = False, why: str = ""
    ) -> Answer[Any]:
        """Tell what a source has seen: a document of the format ``lentra-sightings-1``, ``lentra-table-1`` (a table in
        base64), ``lentra-host-1`` or ``lentra-sweep-1``.

        Example:
            >>> client = Client(url, token)
            >>> seen = {"format": "lentra-sightings-1", "sightings": [{"range": "10.40.64.0/24"}]}
            >>> client.sources.survey("harbour-walk", seen, preview=True).result["counts"]["seen"]
            1
        """
        path = f"{self.path}/{part(ref)}/surveys"
        return self.client.change("POST", path, {"document": dict(document)}, preview=preview, why=why)

    def ask(self, ref: str | int, *, preview: bool = False, why: str = "") -> Answer[Any]:
        """Have a name server or an inventory asked now."""
        return self.client.change("POST", f"{self.path}/{part(ref)}/ask", preview=preview, why=why)

    def leave_off(self, ref: str | int, *, preview: bool = False, why: str = "") -> Answer[Any]:
        """Have the asking of a source left off."""
        return self.client.change("POST", f"{self.path}/{part(ref)}/leave-off", preview=preview, why=why)

    def wait(self, ref: str | int, told: Callable[[int], None] | None = None, seconds: float = 600) -> Any:
        """The source once it is asked no more; `told` is called with how much it has told so far.

        Raises:
            TimeoutError: it is still being asked.
        """
        end = time.monotonic() + seconds
        while True:
            source = self.get(ref)
            look = source["look"]
            due = look and look["due_at"] and datetime.fromisoformat(look["due_at"]) <= datetime.now(UTC)
            if not look or not (look["begun_at"] or due):
                return source
            if time.monotonic() > end:
                raise TimeoutError(f"{source['name']} is still being asked")
            if told:
                told(look["got"])
            time.sleep(0.3)


class Findings(Collection):
    """Where the registry and what was seen differ. Each verb takes one number, or several: all of them then, or none."""

    def dismiss(
        self, numbers: Numbers, reason: str, until: str | None = None, *, preview: bool = False, why: str = ""
    ) -> Answer[Any]:
        """Say why a difference stays; ``until`` a day, from which on it is open again."""
        body = {"reason": reason, **({"until": until} if until else {})}
        return self._settle(numbers, "dismiss", body, preview, why)

    def assign(
        self,
        numbers: Numbers,
        assignee: str | int | None,
        due: str | None = None,
        *,
        project: str | int | None = None,
        preview: bool = False,
        why: str = "",
    ) -> Answer[Any]:
        """Ask somebody, or those of a ``project``, to correct it, until a day; None: nobody any more."""
        body = {"project": project} if project else {"assignee": assignee}
        body |= {"due": due} if due else {}
        return self._settle(numbers, "assign", body, preview, why)

    def correct(self, number: str | int, source: str = "", *, preview: bool = False, why: str = "") -> Answer[Any]:
        """Set what is recorded to what was seen, by ``source`` where several say otherwise."""
        body = {"source": source}
        return self.client.change("POST", f"{self.path}/{number}/correct", body, preview=preview, why=why)

    def reopen(self, number: str | int, *, preview: bool = False, why: str = "") -> Answer[Any]:
        """Take back that it was dismissed."""
        return self.client.change("POST", f"{self.path}/{number}/reopen", preview=preview, why=why)

    def take_over(
        self, numbers: Numbers, becomes: str, *, preview: bool = False, why: str = "", **values: Any
    ) -> Answer[Any]:
        """Make a stray a ``keep-out``; in free space a ``subnet`` or a ``reservation``; in a subnet an ``address-record``.

        Args:
            values: ``name``, ``reason``, ``pool``, ``project``, ``tier``, ``zone``, ``region``; as it was seen if left out.
        """
        return self._settle(numbers, "take-over", {"becomes": becomes, **values}, preview, why)

    def _settle(self, numbers: Numbers, verb: str, body: dict[str, Any], preview: bool, why: str) -> Answer[Any]:
        if isinstance(numbers, str | int):
            return self.client.change("POST", f"{self.path}/{numbers}/{verb}", body, preview=preview, why=why)
        several = {"findings": [int(number) for number in numbers], **body}
        return self.client.change("POST", f"{self.path}/{verb}", several, preview=preview, why=why)


class DnsZones(Collection):
    """DNS zones: what stands in them is in ``client.dns_entries``.

    Example:
        >>> client = Client(url, token)
        >>> client.dns_zones.get("fleet:ferry.example")["host_names"]
        '{name}.{subnet}'
        >>> client.dns_zones.file("fleet:ferry.example").splitlines()[0]
        '$ORIGIN ferry.example.'
    """

    def file(self, ref: str | int) -> str:
        """A DNS zone as a file (RFC 1035, section 5)."""
        return self.client.call("GET", f"{self.path}/{part(ref)}/file").text

    def push(
        self, ref: str | int, *, overwrite: bool = False, preview: bool = False, why: str = ""
    ) -> Answer[Any]:
        """Have everything in a DNS zone pushed anew; with ``overwrite`` also over what stands there otherwise."""
        address = f"{self.path}/{part(ref)}/push"
        return self.client.change("POST", address, {"overwrite": overwrite}, preview=preview, why=why)

    def compare(self, ref: str | int, *, preview: bool = False, why: str = "") -> Answer[Any]:
        """Have a DNS zone held against its server now."""
        return self.client.change("POST", f"{self.path}/{part(ref)}/compare", preview=preview, why=why)

    def add_reverse(self, realm: str | int, *, preview: bool = False, why: str = "", **values: Any) -> Answer[Any]:
        """Add the reverse DNS zones that ``ranges`` need, or those of a realm's top-level pools; ``like`` another one."""
        body = {"realm": realm, **values}
        return self.client.change("POST", f"{self.path}/reverse", body, preview=preview, why=why)


class Renumberings(Collection):
    """Moves of many subnets from old space to new, both sides living until each has moved.

    Example:
        >>> client = Client(url, token)
        >>> seen = client.renumberings.add(
        ...     name="quays-anew", from_pool="ticket-hall", to_pool="mainland", preview=True
        ... )
        >>> seen.result["moves"][0]["kept"] in (True, False)
        True
    """

    def begin(
        self,
        ref: str | int,
        *,
        wave: str | None = None,
        subnets: Sequence[str | int] = (),
        preview: bool = False,
        why: str = "",
    ) -> Answer[Any]:
        """Hand out the new side of a wave, or of some subnets; of everything that is planned, if neither is said."""
        return self._of_part(ref, "begin", wave, subnets, preview, why)

    def finish(
        self,
        ref: str | int,
        *,
        wave: str | None = None,
        subnets: Sequence[str | int] = (),
        despite_use: bool = False,
        preview: bool = False,
        why: str = "",
    ) -> Answer[Any]:
        """Give the old side back; with ``despite_use`` although hosts have not moved, or it is still seen."""
        return self._of_part(ref, "finish", wave, subnets, preview, why, despite_use=despite_use)

    def turn_back(
        self,
        ref: str | int,
        *,
        wave: str | None = None,
        subnets: Sequence[str | int] = (),
        preview: bool = False,
        why: str = "",
    ) -> Answer[Any]:
        """Give the new side up, where it is not finished."""
        return self._of_part(ref, "turn-back", wave, subnets, preview, why)

    def moved(
        self,
        ref: str | int,
        *,
        subnets: Sequence[str | int] = (),
        hosts: Sequence[str] = (),
        moved: bool = True,
        preview: bool = False,
        why: str = "",
    ) -> Answer[Any]:
        """Note which hosts have moved (names, old or new addresses; all, if none are named), or that they have not."""
        body = {"subnets": list(subnets), "hosts": list(hosts), "moved": moved}
        return self.client.change("POST", f"{self.path}/{part(ref)}/moved", body, preview=preview, why=why)

    def check(
        self,
        ref: str | int,
        check: str,
        *,
        subnets: Sequence[str | int] = (),
        done: bool = True,
        preview: bool = False,
        why: str = "",
    ) -> Answer[Any]:
        """Tick off a step: rules changed, names changed, hosts moved, old silent; or take the tick away."""
        body = {"check": check, "subnets": list(subnets), "done": done}
        return self.client.change("POST", f"{self.path}/{part(ref)}/check", body, preview=preview, why=why)

    def moves(self, ref: str | int, **filters: Any) -> Iterator[Record]:
        """The moves of a renumbering; ``wave`` and ``state`` filter them."""
        return self.client.pages(f"{self.path}/{part(ref)}/moves", {"limit": 1000, **filters})

    def told(self, ref: str | int, what: str) -> Iterator[Record]:
        """What others must change: ``map`` (old beside new), ``rules``, ``dns``, ``routes``."""
        return self.client.pages(f"{self.path}/{part(ref)}/{part(what)}", {"limit": 1000})

    def _of_part(
        self,
        ref: str | int,
        verb: str,
        wave: str | None,
        subnets: Sequence[str | int],
        preview: bool,
        why: str,
        **more: Any,
    ) -> Answer[Any]:
        body: dict[str, Any] = {"wave": wave} if wave is not None else {}
        body |= {"subnets": list(subnets)} if subnets else {}
        return self.client.change(
            "POST", f"{self.path}/{part(ref)}/{verb}", {**body, **more}, preview=preview, why=why
        )
