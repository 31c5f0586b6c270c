"""RDAP: who may be asked about addresses, domains, servers and projects, one realm at each base address (RFC 7480, 9082)."""

from __future__ import annotations

import hashlib
import json
import time
from typing import Any

from django.conf import settings
from django.http import Http404, HttpResponse, JsonResponse
from django.utils.cache import get_conditional_response
from rest_framework import exceptions
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.views import APIView

from lentra.addressing.dns import range_of
from lentra.addressing.prefix import parse_address, parse_range
from lentra.addressing.refusal import Refusal
from lentra.api.allowance import Allowance
from lentra.api.signing_in import SessionSignIn, TokenAsPassword, peer_of
from lentra.publishing.rdap import MEDIA, OPERATOR, Teller, bootstrap, error
from lentra.registry.models import DnsZone, Project, Realm
from lentra.registry.reports.asked_about import (
    Network,
    domain_around,
    domains_named,
    events_of,
    network_at,
    projects_named,
    servers_named,
)
from lentra.registry.reports.public_space import public_ranges, published_realms
from lentra.registry.rules.dns import domain_name
from lentra.registry.transactions.clock import SystemClock

_GOOD_FOR = 60  # seconds that an answer may be kept
Told = dict[str, Any]


_allowance = Allowance(settings.RDAP_A_MINUTE)


class RdapView(APIView):
    """One question about a realm. Whatever is answered, RDAP says it."""

    authentication_classes = [TokenAsPassword, SessionSignIn]
    permission_classes = [AllowAny]
    http_method_names = ["get", "head", "options"]
    schema = None  # it is described by its RFCs

    def get(self, request: Request, realm: str, **what: str) -> HttpResponse:
        self._refuse_too_many(request)
        signed_in = bool(request.user and request.user.is_authenticated)
        found = Realm.objects.filter(name=realm).first()
        if found is None or not (found.published or signed_in):
            raise Http404("nothing is known under this base address")
        site = settings.PUBLIC_URL or request.build_absolute_uri("/").rstrip("/")
        teller = Teller(found, f"{site}/rdap/{found.name}", site, signed_in)
        told = teller.whole(self.told(teller, request, **what), request.build_absolute_uri())
        return _answer(request, told, signed_in)

    def told(self, teller: Teller, request: Request, **what: str) -> Told:
        raise NotImplementedError

    def options(self, request: Request, *args: Any, **kwargs: Any) -> HttpResponse:
        answer = HttpResponse(status=204)
        answer["Allow"] = answer["Access-Control-Allow-Methods"] = "GET, HEAD, OPTIONS"
        answer["Access-Control-Allow-Headers"] = "Authorization, If-None-Match"
        return answer

    def handle_exception(self, failure: Exception) -> HttpResponse:
        if isinstance(failure, Refusal):
            return _error(400, "What is asked is not what it should be", failure.message)
        if isinstance(failure, Http404):
            return _error(404, "Not found", str(failure) or "nothing is known of it")
        if isinstance(failure, exceptions.Throttled):
            return _error(
                429, "Too many questions", "ask again later", **{"Retry-After": str(int(failure.wait or 1))}
            )
        if isinstance(failure, exceptions.AuthenticationFailed | exceptions.NotAuthenticated):
            sign_in = {"WWW-Authenticate": self.get_authenticate_header(self.request)}
            return _error(401, "Not signed in", str(failure.detail), **sign_in)
        if isinstance(failure, exceptions.APIException):
            return _error(failure.status_code, "Refused", str(failure.detail))
        raise failure

    def finalize_response(self, request: Request, response: Any, *args: Any, **kwargs: Any) -> Any:
        response["Access-Control-Allow-Origin"] = "*"  # RFC 7480, section 5.6
        response["Access-Control-Expose-Headers"] = "ETag, Retry-After"
        return response

    def _refuse_too_many(self, request: Request) -> None:
        wait = _allowance.wait(peer_of(request), time.monotonic())
        if wait:
            raise exceptions.Throttled(wait=wait + 1)


class IpView(RdapView):
    def told(self, teller: Teller, request: Request, **what: str) -> Told:
        return teller.network(_network(teller, *parse_range(what["address"])))


class DomainView(RdapView):
    def told(self, teller: Teller, request: Request, **what: str) -> Told:
        zone = domain_around(teller.realm, domain_name(what["name"], "name"))
        if zone is None or not _may_see(teller, zone):
            raise Http404("no DNS zone is around that name")
        return teller.domain(zone, _network_of(teller, zone), events_of(zone))


class NameServerView(RdapView):
    def told(self, teller: Teller, request: Request, **what: str) -> Told:
        name = domain_name(what["name"], "name")
        found = servers_named(teller.realm, name) if teller.all else {}
        if name not in found:
            raise Http404("no DNS zone is served by that name")
        return teller.server(name, found[name])


class EntityView(RdapView):
    def told(self, teller: Teller, request: Request, **what: str) -> Told:
        if what["handle"] == OPERATOR:
            return teller.operator()
        project = Project.objects.filter(name=what["handle"]).first() if teller.all else None
        if project is None:
            raise Http404("no entity has that handle")
        return teller.entity(project, events=events_of(project))


class HelpView(RdapView):
    def told(self, teller: Teller, request: Request, **what: str) -> Told:
        return teller.help()


class SearchView(RdapView):
    """Searches (RFC 9082, section 3.2), for whoever is signed in; of domains, anybody finds those that anybody may see."""

    def told(self, teller: Teller, request: Request, **what: str) -> Told:
        given = {name: value.strip() for name, value in request.query_params.items()}
        kind = what["kind"]
        known = {"domains": ("name",), "nameservers": ("name", "ip"), "entities": ("fn", "handle")}[kind]
        if len(given) != 1 or next(iter(given)) not in known or not all(given.values()):
            raise exceptions.ParseError(f"say one of {', '.join(known)}: a star stands for anything")
        ((by, pattern),) = given.items()
        if pattern.count("*") > 1:
            raise exceptions.ParseError("one star at most")
        if kind == "domains":
            zones = [zone for zone in domains_named(teller.realm, pattern.lower()) if _may_see(teller, zone)]
            return teller.found("domainSearchResults", [teller.domain(zone, None) for zone in zones])
        if not teller.all:
            raise exceptions.NotAuthenticated("who searches for that is to sign in")
        if kind == "nameservers":
            rows = servers_named(teller.realm, pattern.lower() if by == "name" else "*")
            if by == "ip":
                asked = parse_address(pattern)
                rows = {n: own for n, own in rows.items() if asked in [parse_address(one) for one in own]}
            return teller.found("nameserverSearchResults", [teller.server(n, own) for n, own in rows.items()])
        projects = projects_named(teller.realm, pattern, by == "fn")
        return teller.found("entitySearchResults", [teller.entity(project) for project in projects])


class UnknownView(RdapView):
    """What nobody can be asked here."""

    def get(self, request: Request, realm: str = "", **what: str) -> HttpResponse:
        raise exceptions.ParseError("what can be asked is told at /rdap/REALM/help")


class BootstrapView(RdapView):
    """Where which ranges are asked about, for programs that look that up (RFC 9224)."""

    def get(self, request: Request, realm: str = "", **what: str) -> HttpResponse:
        self._refuse_too_many(request)
        site = settings.PUBLIC_URL or request.build_absolute_uri("/").rstrip("/")
        family = int(what["family"])
        services = {
            f"{site}/rdap/{one.name}": [str(p) for p in public_ranges([one]) if p.family == family]
            for one in published_realms()
        }
        today = SystemClock().now().replace(hour=0, minute=0, second=0, microsecond=0)
        return _answer(request, bootstrap(services, today), False, "application/json")


def _network(teller: Teller, family: int, first: int, last: int) -> Network:
    """The innermost network that the caller may see."""
    found = network_at(teller.realm, family, first, last, public=not teller.all)
    if found is None:
        raise Http404("no network holds it" if teller.all else "nothing public is known of it")
    return found


def _network_of(teller: Teller, zone: DnsZone) -> Network | None:
    span = range_of(zone.name)
    return network_at(teller.realm, span.family, span.first, span.last, public=not teller.all) if span else None


def _may_see(teller: Teller, zone: DnsZone) -> bool:
    """Who is signed in sees every DNS zone; anybody those of public addresses."""
    return teller.all or _network_of(teller, zone) is not None


def _answer(request: Request, told: Told, signed_in: bool, media: str = MEDIA) -> HttpResponse:
    content = json.dumps(told, ensure_ascii=False).encode()
    tag = f'"{hashlib.blake2s(content).hexdigest()[:32]}"'
    answer = HttpResponse(content, content_type=media, headers={"ETag": tag, "Content-Language": "en"})
    answer["Cache-Control"] = "private, no-cache" if signed_in else f"public, max-age={_GOOD_FOR}"
    answer["Vary"] = "Authorization, Cookie"
    return get_conditional_response(request._request, etag=tag, response=answer) or answer


def _error(status: int, title: str, line: str, **headers: str) -> HttpResponse:
    return JsonResponse(error(status, title, line), status=status, content_type=MEDIA, headers=headers)
