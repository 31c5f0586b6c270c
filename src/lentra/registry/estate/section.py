"""One section of an estate file: how an entry is read, found, made, edited, told and taken away."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from django.db import models
from django.db.models import QuerySet

from lentra.registry.intakes.records import TableKind, text_of
from lentra.registry.models import Project, Realm
from lentra.registry.transactions.change import Change

Told = dict[str, Any]
SHOWS = ("one_shows", "other_shows")
_LISTS = (
    "ranges",
    "projects",
    "tiers",
    "forbidden",
    "dhcp",
    "dhcp_excluded",
    "name_servers",
    "servers",
    "ds",
    *SHOWS,
)
_MAPPINGS = ("labels", "v4", "v6")
SPARE = ("prefix", "address", "mask", "first", "last")


@dataclass(frozen=True)
class Section:
    """One section of an estate file.

    Args:
        name: of the section.
        model: of its records.
        kind: how a record is read, found, made, edited and told.
        fields: what an entry may say, beside its key.
        keyed: the fields that its key stands for.
        key: the key of a record.
        said: a key as the fields that it stands for.
        rows: the records of a realm, of a project, or all of them, in order.
        remove: takes a record away.
    """

    name: str
    model: Any
    kind: TableKind
    fields: tuple[str, ...]
    key: Callable[[Any], str]
    said: Callable[[str], dict[str, str]]
    rows: Callable[[Realm | None, Project | None], QuerySet | None]
    remove: Callable[[Change, Any], Any]

    def told(self, record: Any) -> Told:
        """A record as an entry: what it has beside its key, in the order of the fields."""
        texts = {**self.kind.told(record)}
        if self.name == "pools":
            texts["ranges"] = texts.pop("prefix")
        if self.name == "reservations":
            texts["range"] = texts.pop("prefix")
        keyed = self.said(self.key(record))
        return {n: self._plain(n, texts[n]) for n in self.fields if texts.get(n) and n not in keyed}

    def _plain(self, name: str, text: str) -> Any:
        """A text as the value that a file has for it."""
        column = {field.name: field for field in self.model._meta.concrete_fields}.get(name)
        if isinstance(column, models.BooleanField):
            return text == "true"
        if name in _LISTS:
            return text.split(" ") if name == "ranges" else text.split(", ")
        if name in _MAPPINGS:
            pairs = (part.split("=", 1) for part in text.split("; "))
            return {key: int(value) if name != "labels" else value for key, value in pairs if value != "None"}
        counts = name == "room" or (isinstance(column, models.IntegerField) and not column.is_relation)
        if counts and text.isdigit():
            return int(text)
        return text

    def texts(self, key: str, facts: Mapping[str, Any]) -> dict[str, str]:
        """A key and what an entry says, as the texts that its kind is read from."""
        said = {name: written(value) for name, value in facts.items() if name != "was"}
        if self.name == "pools" and "ranges" in said:
            said["prefix"] = said.pop("ranges").replace(",", "")
        if "range" in said:
            said["prefix"] = said.pop("range")
        return {**{name: text for name, text in said.items() if text}, **self.said(key)}


def written(value: Any) -> str:
    """A value of a file as text."""
    if isinstance(value, list):
        return ", ".join(written(one) for one in value)
    return text_of(value)


def by_name(text: str) -> dict[str, str]:
    """A key that is a name."""
    return {"name": text}


def by_name_in_realm(text: str) -> dict[str, str]:
    """A key that is ``realm:name``."""
    realm, _, name = text.partition(":")
    return {"realm": realm, "name": name}


def key_in_realm(record: Any) -> str:
    """Such a key of a record."""
    return f"{record.realm.name}:{record.name}"
