"""What a client has of each kind of record, and what can be done with them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from lentra.client.answers import Answer, Caller, Record, part


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


class People(Collection):
    """People, their lock after failed sign-ins, and their tokens together."""

    def unlock(self, ref: str | int, *, preview: bool = False, why: str = "") -> Answer[Any]:
        """Forget the failed sign-ins with a person's name; for admins."""
        return self.client.change("POST", f"{self.path}/{part(ref)}/unlock", preview=preview, why=why)

    def revoke_tokens(self, ref: str | int, *, preview: bool = False, why: str = "") -> Answer[Any]:
        """Make all tokens of a person useless: one's own, or anybody's by an admin."""
        return self.client.change("POST", f"{self.path}/{part(ref)}/revoke-tokens", preview=preview, why=why)
