"""What a source of surveys may be: where it is asked, for what, and with which credential; and rules for taking over."""

from __future__ import annotations

import base64
import binascii
from datetime import datetime
from urllib.parse import urlsplit

import dns.exception
import dns.name
import dns.tsig
from django.conf import settings

from lentra.addressing.prefix import parse_range
from lentra.addressing.refusal import Refusal
from lentra.name_servers import PORT
from lentra.reaching import is_listed
from lentra.registry.errors import Invalid
from lentra.registry.models import ASKED_KINDS, TAKES, Source, TakingRule
from lentra.registry.rules.names import check_name

_OF_ASKED = ("address", "parts", "takes", "credential", "every", "follows")
_TSIG = "name:algorithm:secret, such as lentra:hmac-sha256: and the secret in base64"
_ALGORITHMS = ("hmac-sha256", "hmac-sha384", "hmac-sha512", "hmac-sha224")


def check_source(source: Source, now: datetime) -> None:
    """A name, prefixes that are some, and of a source that is asked an address that may be asked."""
    check_name(source.name)
    for n, text in enumerate(source.covers):
        try:
            parse_range(text)
        except Refusal as refusal:
            raise refusal.about(f"covers.{n}")
    if source.kind not in ASKED_KINDS:
        given = [name for name in _OF_ASKED if getattr(source, name)]
        if given:
            raise Invalid(
                f"a source of kind {source.kind} is not asked: what it saw is sent (lentra survey send)",
                field=given[0],
                rule=f"only with kind {' or '.join(ASKED_KINDS)}",
            )
        return
    for word in source.takes:
        if word not in TAKES:
            raise Invalid(
                f"{word!r} is none of {', '.join(TAKES)}", field="takes", received=word, suggestions=TAKES
            )
    if source.every is not None and not 1 <= source.every <= 44_640:
        raise Invalid(
            "every 1 to 44,640 minutes (a month)", field="every", received=source.every, suggestions=[60]
        )
    (_check_name_server if source.kind == "name-server" else _check_inventory)(source)


def host_and_port(address: str) -> tuple[str, int]:
    """A host, and its port or that of DNS.

    Raises:
        Invalid: there is no host, or the port is none.
    """
    try:
        parts = urlsplit(f"//{address}")
        host, port = parts.hostname or "", parts.port or PORT
    except ValueError as fault:
        raise Invalid(f"{address!r} is no host: {fault}", field="address", received=address)
    if not host or parts.path or parts.username:
        raise Invalid(
            f"{address!r} is no host",
            field="address",
            received=address,
            rule="host, or host:port",
            suggestions=["ns1.ferry.example:53"],
        )
    return host, port


def check_credential(kind: str, credential: str) -> None:
    """A credential as its kind of source wants it.

    Raises:
        Invalid: says the form, and not the credential.
    """
    if kind == "name-server" and credential:
        check_key(credential)
    if any(letter.isspace() or not letter.isprintable() for letter in credential):
        raise Invalid("a credential has no spaces and no line ends", field="credential")


def check_key(credential: str) -> None:
    """A key of a name server (TSIG, RFC 8945).

    Raises:
        Invalid: says the form, and not the key.
    """
    if credential:
        name, _, rest = credential.partition(":")
        algorithm, _, secret = rest.partition(":")
        try:
            if algorithm not in _ALGORITHMS or not secret:
                raise ValueError
            dns.name.from_text(name)
            base64.b64decode(secret, validate=True)
        except (ValueError, binascii.Error, dns.exception.DNSException):
            raise Invalid("this is no key for a name server", field="credential", rule=_TSIG)


def check_taking_rule(rule: TakingRule, now: datetime) -> None:
    """A name, and a source of the same realm."""
    check_name(rule.name)
    if rule.source and rule.source.realm_id != rule.realm_id:
        raise Invalid(
            f"source {rule.source.name} tells of {rule.source.realm.name}, not of {rule.realm.name}",
            field="source",
            received=rule.source.name,
            suggestions=list(Source.objects.filter(realm=rule.realm).values_list("name", flat=True)[:5]),
        )
    if rule.becomes == "address-record" and not (rule.source or rule.project):
        raise Invalid(
            "say whose: everything that anybody sees would become a record of the registry",
            field="source",
            rule="a source, or a project, or both",
        )


def _check_name_server(source: Source) -> None:
    host_and_port(source.address)
    if source.follows:
        raise Invalid("a name server has no feed of changes: say how often it is asked", field="follows")
    if not source.parts:
        raise Invalid(
            "which DNS zones: a name server hands them over one by one",
            field="parts",
            suggestions=["ferry.example", "40.10.in-addr.arpa"],
        )
    for n, text in enumerate(source.parts):
        try:
            if dns.name.from_text(text) == dns.name.root:
                raise ValueError("the root is none of yours")
        except (dns.exception.DNSException, ValueError) as why:
            raise Invalid(f"{text!r} is no DNS zone: {why}", field=f"parts.{n}", received=text)


def _check_inventory(source: Source) -> None:
    try:
        parts = urlsplit(source.address)
        host, port = parts.hostname or "", parts.port or (443 if parts.scheme == "https" else 80)
    except ValueError as fault:
        raise Invalid(f"{source.address!r} is no address: {fault}", field="address", received=source.address)
    wanted = "https://host/path, or http:// to a host that the operator has listed (LENTRA_SOURCE_HOSTS)"
    if parts.scheme not in ("https", "http") or not host or parts.query or parts.username:
        raise Invalid(
            f"{source.address!r} is no address to ask",
            field="address",
            received=source.address,
            rule=wanted,
            suggestions=[f"https://{host or 'cloud.ferry.example'}/inventory"],
        )
    if parts.scheme == "http" and not is_listed(host, port, settings.SOURCE_HOSTS):
        raise Invalid(
            f"{host}:{port} is not listed, and http would send the credential in the clear",
            field="address",
            received=source.address,
            rule=wanted,
            suggestions=[f"https://{host}/"],
        )
