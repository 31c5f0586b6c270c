"""How figures are told in a report."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from django import template
from django.utils.safestring import SafeString

from lentra.api.report.drawings import counted, legend

register = template.Library()


register.filter(counted)


@register.filter
def named(row: Mapping[str, Any], by: str) -> str:
    """The name of the record that a row is grouped by."""
    return str((row[by] or {}).get("name", "—"))


@register.filter
def map_legend(cells: Sequence[Mapping[str, Any]]) -> SafeString:
    """What the patterns of a map mean, as far as they are in it."""
    return legend({cell["state"] for cell in cells} | ({"free"} if cells else set()))
