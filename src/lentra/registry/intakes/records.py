"""How a row of each kind of table is read into a record's values, compared with what is there, added, and told.

Subnets have their own way in, since there may be very many: see `subnets`.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime
from typing import Any

from django.core.exceptions import ValidationError
from django.db import models

from lentra.addressing.prefix import parse_address, range_text
from lentra.addressing.refusal import Refusal
from lentra.addressing.tables import blocks_of
from lentra.addressing.texts import misleading
from lentra.registry.errors import Invalid, UnknownName
from lentra.registry.lookup.find import find
from lentra.registry.models import (
    Address,
    ExtentRow,
    KeepOut,
    Pool,
    Project,
    Realm,
    Record,
    Region,
    Reservation,
    Subnet,
    Tier,
    Zone,
)
from lentra.registry.models.subnets import BLOCK_STATES
from lentra.registry.operations.pools.add_keep_out import add_keep_out
from lentra.registry.operations.pools.add_pool import add_pool
from lentra.registry.operations.pools.carve_pool import carve_pool
from lentra.registry.operations.pools.edit_pool import edit_pool
from lentra.registry.operations.reservations.reserve import ReservationRequest, edit_reservation, reserve
from lentra.registry.operations.setup.add_record import add_record
from lentra.registry.operations.setup.edit_record import edit_record
from lentra.registry.operations.subnets.record_addresses import AddressRequest, edit_address, record_addresses
from lentra.registry.space.evidence import holding
from lentra.registry.transactions.change import Change

LABEL_KEY = re.compile(r"[a-z0-9]([a-z0-9._-]{0,61}[a-z0-9])?")
_LONGEST_LABEL = 200
Said = Mapping[str, str]
Values = dict[str, Any]


@dataclass(frozen=True)
class TableKind:
    """What can be done with the rows of one kind of table.

    Args:
        read: what a row says -> values of a record.
        there: the record that a row means, if it is there already.
        add: makes the record of a row's values.
        edit: takes over values that differ.
        told: a record as a row: field -> text.
    """

    record: str
    read: Callable[[Said], Values]
    there: Callable[[Values], Any]
    add: Callable[[Change, Values], Record]
    edit: Callable[[Change, Any, Values], Any]
    told: Callable[[Any], dict[str, str]]


# --- reading values ---


def field_value(model: type[models.Model], name: str, text: str) -> Any:
    """A text as a column of a record has it.

    Raises:
        Invalid: it is none of those that there may be, too long, or not what the column holds.
        UnknownName: no record has the name.
    """
    refuse_misleading(name, text)
    column: Any = model._meta.get_field(name)
    if column.is_relation:
        return find(column.related_model, text, name)
    if isinstance(column, models.JSONField):
        return read_labels(text)
    if column.choices:
        words = [str(value) for value, _ in column.choices]
        if text not in words and text.lower() not in words:
            raise Invalid(
                f"{text[:60]!r} is none of {', '.join(words)}",
                field=name,
                received=text[:60],
                suggestions=words[:5],
            )
        return text if text in words else text.lower()
    if isinstance(column, models.IntegerField):
        return read_number(name, text)
    if isinstance(column, models.BooleanField):
        return read_flag(name, text)
    if isinstance(column, models.DateTimeField):
        return read_moment(name, text)
    if isinstance(column, models.DateField):
        return read_moment(name, text).date()
    try:
        return column.clean(text, None)
    except ValidationError as fault:
        raise Invalid(f"{name}: {' '.join(fault.messages)}", field=name, received=text[:100])


def refuse_misleading(name: str, text: str) -> None:
    """Refuse characters that do nothing for a reader.

    Raises:
        Invalid.
    """
    if character := misleading(text):
        raise Invalid(f"{character} cannot stand in a text: leave it out", field=name)


def read_number(name: str, text: str, most: int = 1 << 32) -> int:
    """A whole number.

    Raises:
        Invalid.
    """
    bare = text.replace(" ", "").replace("\u202f", "").removesuffix("%")
    if not bare.isascii() or not bare.isdigit() or len(bare) > 12 or int(bare) > most:
        raise Invalid(
            f"{text[:40]!r} is not a whole number up to {most:,}", field=name, received=text[:40], suggestions=[0]
        )
    return int(bare)


def read_flag(name: str, text: str) -> bool:
    """Yes or no.

    Raises:
        Invalid.
    """
    word = text.lower()
    if word not in ("true", "false", "yes", "no", "1", "0", "x"):
        raise Invalid(
            f"{text[:20]!r} is neither true nor false",
            field=name,
            received=text[:20],
            suggestions=["true", "false"],
        )
    return word in ("true", "yes", "1", "x")


def read_moment(name: str, text: str) -> datetime:
    """A day or a moment; of UTC, unless it says otherwise.

    Raises:
        Invalid.
    """
    try:
        moment = datetime.fromisoformat(text)
    except ValueError:
        raise Invalid(
            f"{text[:40]!r} is not a day: write it as 2026-03-01",
            field=name,
            received=text[:40],
            suggestions=["2026-03-01"],
        )
    return moment if moment.tzinfo else moment.replace(tzinfo=UTC)


def read_labels(text: str) -> dict[str, str]:
    """Labels out of ``key=value; key=value``.

    Raises:
        Invalid.
    """
    labels: dict[str, str] = {}
    for part in filter(None, (part.strip() for part in re.split(r";|\n", text))):
        key, mark, value = (piece.strip() for piece in part.partition("="))
        if not mark or not LABEL_KEY.fullmatch(key) or len(value) > _LONGEST_LABEL:
            usable = re.sub(r"[^a-z0-9._-]+", "-", key.lower()).strip("-._") or "site"
            raise Invalid(
                f"{part[:60]!r} is not a label: key=value, the key of lower-case letters and digits",
                field="labels",
                received=part[:60],
                suggestions=[f"{usable}={value or 'hall A'}"],
            )
        labels[key] = value
    return labels


def _several(model: Any, name: str, text: str) -> list[Any]:
    return [find(model, part.strip(), name) for part in text.split(",") if part.strip()]


def _span(said: Said) -> tuple[int, int, int]:
    """The one range of a row."""
    blocks = blocks_of(said)
    family, first, last = blocks[0].family, blocks[0].first, blocks[-1].last
    if sum(block.size for block in blocks) != last - first + 1 or blocks[-1].family != family:
        raise Invalid(f"{len(blocks)} ranges that do not lie together: one row for each", field="prefix")
    return family, first, last


# --- telling values ---


def text_of(value: Any) -> str:
    """A value of a record as text in a table; nothing for none."""
    if value is None or value == "":
        return ""
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, list):
        return ", ".join(text_of(one) for one in value)
    if isinstance(value, dict):
        return "; ".join(f"{key}={value[key]}" for key in sorted(value))
    if isinstance(value, datetime):
        value = value.astimezone(UTC)
        return (
            value.date().isoformat()
            if value.time() == datetime.min.time()
            else value.strftime("%Y-%m-%dT%H:%M:%SZ")
        )
    if isinstance(value, date):
        return value.isoformat()
    if isinstance(value, models.Model):
        return str(getattr(value, "name", value.pk))
    return str(value)


def _plain(model: type[models.Model], names: Sequence[str]) -> Callable[[Any], dict[str, str]]:
    return lambda record: {name: text_of(getattr(record, name)) for name in names}


def _named(kind: str, model: type[Record], names: Sequence[str]) -> TableKind:
    """A kind of set-up whose records are known by their names."""
    return TableKind(
        kind,
        read=lambda said: {name: field_value(model, name, text) for name, text in said.items()},
        there=lambda values: model._default_manager.filter(name=values["name"]).first(),
        add=lambda change, values: add_record(change, kind, values),
        edit=lambda change, record, values: edit_record(change, kind, record.pk, values),
        told=_plain(model, ("name", *names)),
    )


# --- kinds with ranges ---

_OF_RANGE = ("prefix", "address", "mask", "first", "last")


def _beside_range(model: type[models.Model], said: Said, besides: Sequence[str] = ()) -> Values:
    skipped = {*_OF_RANGE, *besides}
    return {name: field_value(model, name, text) for name, text in said.items() if name not in skipped}


def _says_range(said: Said) -> bool:
    return any(name in said for name in _OF_RANGE)


def _read_keep_out(said: Said) -> Values:
    family, first, last = _span(said)
    return {**_beside_range(KeepOut, said), "family": family, "first": first, "last": last}


def _read_reservation(said: Said) -> Values:
    values = _beside_range(Reservation, said, ("projects", "tiers"))
    if _says_range(said) or "name" not in said:
        values["range"] = _span(said)
    for name, model in (("projects", Project), ("tiers", Tier)):
        if name in said:
            values[name] = _several(model, name, said[name])
    return values


def _reservation_there(values: Values) -> Reservation | None:
    if "name" in values and "pool" in values:
        named = Reservation.objects.filter(realm=values["pool"].realm_id, name=values["name"]).first()
        if named or "range" not in values:
            return named
    family, first, last = values["range"]
    return Reservation.objects.filter(pool=values["pool"], family=family, first=first, last=last).first()


def _edit_reservation(change: Change, record: Reservation, values: Values) -> Any:
    if values.get("range", record_range := (record.family, record.first, record.last)) != record_range:
        raise Invalid(
            f"reservation {record.name} keeps {record.range_text} back: give it back, and reserve the other range",
            field="prefix",
            rule="the range of a reservation never changes",
            suggestions=[record.range_text],
        )
    values = {name: value for name, value in values.items() if name not in ("range", "pool")}
    projects, tiers = values.pop("projects", None), values.pop("tiers", None)
    return edit_reservation(change, record.pk, values, projects, tiers)


def _told_reservation(record: Reservation) -> dict[str, str]:
    told = _plain(Reservation, ("name", "kind", "reason", "service", "ends_at"))(record)
    told["pool"] = f"{record.realm.name}:{record.pool.name}"
    for name in ("projects", "tiers"):
        told[name] = ", ".join(sorted(one.name for one in getattr(record, name).all()))
    return {"prefix": record.range_text, **told}


_PLACE = ("country", "subdivision", "city", "postal_code")
_POOL_FIELDS = (
    *("sheet", "region", "zone", "project", "origin", "exposure", "gives", "cooling_days", "warning_percent"),
    *("critical_percent", "placement_v4", "placement_v6", "shortest_v4", "longest_v4", "unit_v6"),
    *("keeps_out_seen", "origin_as", "announced_v4", "announced_v6", "about"),
)


def _read_pool(said: Said) -> Values:
    values = _beside_range(Pool, said)
    return {**values, "ranges": blocks_of(said)} if _says_range(said) else values


def _pool_there(values: Values) -> Pool | None:
    realm = values.get("realm") or (values["parent"].realm if values.get("parent") else None)
    return Pool.objects.filter(name=values["name"], **({"realm": realm} if realm else {})).first()


def _add_pool(change: Change, values: Values) -> Pool:
    values = dict(values)
    ranges = values.pop("ranges", [])
    if parent := values.pop("parent", None):
        values.pop("realm", None)
        return carve_pool(change, parent.pk, values, ranges)
    return add_pool(change, values, ranges)


def _edit_pool(change: Change, record: Pool, values: Values) -> Any:
    ranges = values.get("ranges")
    if ranges is not None and sorted(ranges) != sorted(row.prefix for row in record.ranges.all()):
        raise Invalid(
            f"pool {record.name} has other ranges: add or change them one by one",
            field="prefix",
            suggestions=[f"lentra pool add-range {record.name} …"],
        )
    return edit_pool(
        change, record.pk, {n: v for n, v in values.items() if n not in ("ranges", "parent", "realm")}
    )


def _told_pool(record: Pool) -> dict[str, str]:
    told = _plain(Pool, ("name", "realm", *_POOL_FIELDS))(record)
    told["parent"] = f"{record.realm.name}:{record.parent.name}" if record.parent else ""
    if record.sheet_inherited:
        told["sheet"] = ""
    return {"prefix": " ".join(str(row.prefix) for row in record.ranges.all()), **told}


def _told_keep_out(record: KeepOut) -> dict[str, str]:
    names = ("realm", "kind", "reason", "source", "since", "certainty", "review_on")
    return {"prefix": record.range_text, **_plain(KeepOut, names)(record)}


# --- address records ---


def _read_address(said: Said) -> Values:
    try:
        family, address = parse_address(said["address"])
    except Refusal as refusal:
        raise refusal.about("address")
    realm = find(Realm, said["realm"], "realm") if "realm" in said else None
    names = ("name", "kind", "purpose", "secondary")
    values = {name: field_value(Address, name, said[name]) for name in names if name in said}
    if "mac" in said:
        values["mac"] = said["mac"]
    subnet = find(Subnet, said["subnet"], "subnet") if "subnet" in said else subnet_around(family, address, realm)
    return {**values, "address": said["address"], "at": (family, address), "subnet": subnet}


def subnet_around(family: int, address: int, realm: Realm | None) -> Subnet:
    """The subnet whose block holds an address.

    Raises:
        UnknownName: no subnet's does.
        Invalid: those of several realms do.
    """
    rows = ExtentRow.objects.filter(family=family, state__in=BLOCK_STATES, **({"realm": realm} if realm else {}))
    keys = holding(rows, family, address)
    found = [
        row.subnet
        for pool, of, first in keys
        for row in ExtentRow.objects.filter(pool=pool, family=of, first=first).select_related("subnet__realm")
        if row.subnet
    ]
    text = range_text(family, address, address).partition("/")[0]
    if len(found) > 1:
        raise Invalid(
            f"{text} lies in subnets of several realms: say which",
            field="realm",
            suggestions=[subnet.realm.name for subnet in found],
        )
    if not found:
        raise UnknownName(
            f"{text} lies in no subnet", field="address", received=text, suggestions=["bring its subnet in first"]
        )
    return found[0]


def _address_there(values: Values) -> Address | None:
    family, address = values["at"]
    return Address.objects.filter(subnet=values["subnet"], family=family, address=address).first()


def _add_address(change: Change, values: Values) -> Address:
    subnet: Subnet = values["subnet"]
    wanted = {name: value for name, value in values.items() if name not in ("subnet", "at")}
    return record_addresses(change, subnet.pk, AddressRequest(**wanted, service=subnet.service))[0]


def _edit_address(change: Change, record: Address, values: Values) -> Any:
    wanted = {name: value for name, value in values.items() if name not in ("subnet", "at", "address")}
    return edit_address(change, record.pk, wanted)


def _told_address(record: Address) -> dict[str, str]:
    told = _plain(Address, ("name", "kind", "mac", "purpose"))(record)
    subnet = f"{record.realm.name}:{record.subnet.name}"
    return {"address": record.text, **told, "subnet": subnet, "secondary": "true" if record.secondary else ""}


KINDS: dict[str, TableKind] = {
    "regions": _named("region", Region, ("zones_per_project", *_PLACE, "about")),
    "zones": _named("zone", Zone, ("region", "site", "physical", *_PLACE, "about")),
    "tiers": _named("tier", Tier, ("exposure", "host_names", "about")),
    "projects": _named(
        "project",
        Project,
        ("title", "contact", "environment", "home_region", "cost_centre", "labels"),
    ),
    "pools": TableKind("pool", _read_pool, _pool_there, _add_pool, _edit_pool, _told_pool),
    "keep-outs": TableKind(
        "keep-out",
        _read_keep_out,
        lambda values: KeepOut.objects.filter(
            realm=values["realm"], family=values["family"], first=values["first"], last=values["last"]
        ).first(),
        lambda change, values: add_keep_out(change, values),
        lambda change, record, values: edit_record(
            change,
            "keep-out",
            record.pk,
            {n: v for n, v in values.items() if n not in ("family", "first", "last", "realm")},
        ),
        _told_keep_out,
    ),
    "reservations": TableKind(
        "reservation",
        _read_reservation,
        _reservation_there,
        lambda change, values: reserve(change, ReservationRequest(**{**values, "pool": values["pool"].pk})),
        _edit_reservation,
        _told_reservation,
    ),
    "address records": TableKind(
        "address record", _read_address, _address_there, _add_address, _edit_address, _told_address
    ),
}
