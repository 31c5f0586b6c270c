"""What others may know: where public space is and who announces it; what ends, for calendars."""

from __future__ import annotations

import hashlib
import time
from typing import Any
from urllib.parse import urlsplit

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.utils.cache import get_conditional_response, patch_cache_control
from django.views.decorators.http import require_safe
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from lentra.api.allowance import Allowance
from lentra.api.calls import asked, call
from lentra.api.pages import page_of, paged
from lentra.api.serializers.public_space import (
    AuthorisationSerializer,
    LocatedRangeSerializer,
    OfRealmsQuerySerializer,
    PointerSerializer,
    PublicSpaceQuerySerializer,
    authorised_told,
    located_told,
)
from lentra.api.signing_in import SessionSignIn, TokenAsPassword, peer_of
from lentra.publishing.calendar import MEDIA as CALENDAR
from lentra.publishing.calendar import calendar
from lentra.publishing.geofeed import MEDIA, PLACE, assertions, geofeed, pointers
from lentra.registry.models import Realm
from lentra.registry.reports.calendar import endings
from lentra.registry.reports.public_space import authorised, located_ranges, public_ranges, published_realms
from lentra.registry.transactions.clock import SystemClock

_allowance = Allowance(settings.RDAP_A_MINUTE)  # as for the others that anybody may ask
_GOOD_FOR = 3600  # seconds that whoever reads the geofeed may keep it


@require_safe
def geofeed_file(request: HttpRequest) -> HttpResponse:
    """The geofeed of the published realms, for anybody."""
    if wait := _allowance.wait(peer_of(request), time.monotonic()):
        refused = "Too many questions: ask again later.\n"
        headers = {"Retry-After": str(int(wait) + 1)}
        return HttpResponse(refused, status=429, content_type="text/plain; charset=utf-8", headers=headers)
    text = geofeed(located_ranges(published_realms()))
    tag = f'"{hashlib.blake2s(text.encode()).hexdigest()[:32]}"'
    answer = HttpResponse(text, content_type=MEDIA, headers={"ETag": tag})
    patch_cache_control(answer, public=True, max_age=_GOOD_FOR)
    return get_conditional_response(request, etag=tag, response=answer) or answer


class CalendarView(APIView):
    authentication_classes = [TokenAsPassword, SessionSignIn]

    @call(
        "What ends, as a calendar",
        query=OfRealmsQuerySerializer,
        responses={(200, "text/calendar"): {"type": "string"}},
    )
    def get(self, request: Request) -> HttpResponse:
        """Reservations, holds, planned needs, renumberings, and when pools are likely full (RFC 5545). A calendar signs in
        by a token as the password of whatever name."""
        now = SystemClock().now()
        host = urlsplit(settings.PUBLIC_URL).hostname or request.get_host().partition(":")[0]
        found = calendar(endings(_realms(request), now), host, now.date())
        return HttpResponse(found, content_type=CALENDAR)


def _realms(request: Request) -> list[Realm]:
    return asked(request).get("realm") or list(Realm.objects.order_by("name"))


class GeofeedView(APIView):
    @call("Where public ranges are", query=PublicSpaceQuerySerializer, responses=paged(LocatedRangeSerializer))
    def get(self, request: Request) -> Response:
        """As they stand in /geofeed.csv of a realm that is published, and as they would of others."""
        return page_of(request, located_told(located_ranges(_realms(request))))


class GeofeedPointersView(APIView):
    @call("What points to the geofeed", query=PublicSpaceQuerySerializer, responses=paged(PointerSerializer))
    def get(self, request: Request) -> Response:
        """For the objects of a routing registry, so that others find the geofeed (RFC 9632)."""
        address = (settings.PUBLIC_URL or request.build_absolute_uri("/").rstrip("/")) + PLACE
        return page_of(request, pointers(public_ranges(_realms(request)), address))


class AuthorisationsView(APIView):
    @call("Who may announce what", query=PublicSpaceQuerySerializer, responses=paged(AuthorisationSerializer))
    def get(self, request: Request) -> Response:
        """By the pools that say which AS number announces them: what to authorise (RFC 9582)."""
        return page_of(request, authorised_told(authorised(_realms(request))))


class AssertionsView(APIView):
    @call(
        "The same as locally added assertions",
        query=OfRealmsQuerySerializer,
        responses={200: {"type": "object", "additionalProperties": True}},
    )
    def get(self, request: Request) -> Response:
        """For whoever validates routes, before the authorisations are published (RFC 8416)."""
        found: dict[str, Any] = assertions(authorised(_realms(request)))
        return Response(found)
