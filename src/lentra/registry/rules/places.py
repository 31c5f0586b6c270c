"""Where regions and zones are: countries and their subdivisions as ISO 3166 has them."""

from __future__ import annotations

from collections.abc import Container
from difflib import get_close_matches
from typing import Any

import pycountry

from lentra.registry.errors import Invalid
from lentra.registry.models import Located


def place_follows(record: Located, given: Container[str]) -> dict[str, Any]:
    """Codes of a place in capitals, however they were written."""
    return {name: getattr(record, name).strip().upper() for name in ("country", "subdivision") if name in given}


def check_place(record: Located) -> None:
    """A country that there is, a subdivision of it, and nothing finer without it."""
    finer = next((name for name in ("subdivision", "city", "postal_code") if getattr(record, name)), None)
    if not record.country:
        if finer:
            raise Invalid(
                f"in which country: a {finer.replace('_', ' ')} alone may be anywhere",
                field="country",
                suggestions=[record.subdivision[:2]] if record.subdivision else ["NO"],
            )
        return
    if pycountry.countries.get(alpha_2=record.country) is None:
        raise Invalid(
            f"{record.country!r} is no country",
            field="country",
            received=record.country,
            rule="two letters of ISO 3166-1",
            suggestions=_countries_like(record.country),
        )
    if not record.subdivision:
        return
    found = pycountry.subdivisions.get(code=record.subdivision)
    if found is None or found.country_code != record.country:
        known = sorted(one.code for one in pycountry.subdivisions.get(country_code=record.country) or ())
        raise Invalid(
            f"{record.subdivision!r} is no subdivision of {record.country}",
            field="subdivision",
            received=record.subdivision,
            rule="a code of ISO 3166-2",
            suggestions=(get_close_matches(record.subdivision, known, n=5, cutoff=0.3) or known)[:8],
        )


def _countries_like(text: str) -> list[str]:
    """Codes of countries that a text may mean."""
    try:
        return [country.alpha_2 for country in pycountry.countries.search_fuzzy(text)[:3]]
    except LookupError:
        return ["NO", "SE", "DK"]
