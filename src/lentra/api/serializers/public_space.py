"""What others may know of public space."""

from __future__ import annotations

from typing import Any

from rest_framework import serializers

from lentra.api.fields import OfPages, Strict, meant
from lentra.registry.models import Realm


class PublicSpaceQuerySerializer(OfPages):
    """Of which realms, and which page."""

    realm = meant(Realm)


class OfRealmsQuerySerializer(Strict):
    """Of which realms."""

    realm = meant(Realm)


class LocatedRangeSerializer(serializers.Serializer):
    """Where a public range is; of two that hold an address, the longer one counts."""

    prefix = serializers.CharField(help_text="The range.")
    country = serializers.CharField()
    subdivision = serializers.CharField()
    city = serializers.CharField()


class PointerSerializer(serializers.Serializer):
    """What a routing registry's object of a range is to say (RFC 9632)."""

    kind = serializers.CharField(help_text="Of the object: inetnum or inet6num.")
    object = serializers.CharField(help_text="The range as such objects have it.")
    attribute = serializers.CharField(help_text="The line to add.")


class AuthorisationSerializer(serializers.Serializer):
    """What may be announced by whom (RFC 9582)."""

    prefix = serializers.CharField(help_text="What is announced.")
    longest = serializers.IntegerField(help_text="The longest length of its parts that are announced.")
    origin_as = serializers.IntegerField()
    pool = serializers.CharField(help_text="The pool that says so.")


def located_told(located: Any) -> list[dict[str, Any]]:
    """Ranges with where they are, as they are told."""
    return [
        {"prefix": str(p), "country": place.country, "subdivision": place.subdivision, "city": place.city}
        for p, place in located
    ]


def authorised_told(authorised: Any) -> list[dict[str, Any]]:
    """Authorisations as they are told."""
    return [
        {"prefix": str(one.prefix), "longest": one.longest, "origin_as": one.origin, "pool": pool}
        for one, pool in authorised
    ]
