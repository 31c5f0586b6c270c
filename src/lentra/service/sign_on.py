"""The two steps of a single sign-on that a browser takes: away to the identity provider, and back with its answer.

What is to be remembered in between is kept by the browser, sealed: nobody who is not signed in causes a write.
"""

from __future__ import annotations

import json
import logging
import time
from dataclasses import asdict
from urllib.parse import urlencode, urlsplit

from django.conf import settings
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.shortcuts import render
from django.utils.http import url_has_allowed_host_and_scheme
from django.views.decorators.http import require_GET

from lentra.addressing.refusal import Refusal
from lentra.api.signing_in import begin_session, peer_of
from lentra.registry.operations.people.sign_on import sign_on
from lentra.registry.rules.sealed import sealed, unsealed
from lentra.signing_on.configured import ANSWER, BEGIN, provider
from lentra.signing_on.provider import Begun, NotProved

logger = logging.getLogger(__name__)
_COOKIE = "lentra_sign_on"
_GOOD_FOR = 600  # seconds to sign in over there


@require_GET
def begin(request: HttpRequest) -> HttpResponse:
    """Send a browser to the identity provider; ``next`` is the page of the console that it comes back to."""
    there = provider()
    if there is None:
        return _refused(request, NotProved("no single sign-on is set up here: sign in with name and password"))
    then = request.GET.get("next", "/")
    if not then.startswith("/") or not url_has_allowed_host_and_scheme(then, allowed_hosts=None):
        then = "/"
    if request.get_host() != urlsplit(settings.PUBLIC_URL).netloc and "moved" not in request.GET:
        # The answer comes to the public address: what is remembered must be there.
        query = urlencode({"next": then, "moved": 1})
        return HttpResponseRedirect(f"{settings.PUBLIC_URL}{BEGIN}?{query}")
    try:
        address, begun = there.begin()
    except Refusal as refusal:
        return _refused(request, refusal, then)
    response = HttpResponseRedirect(address)
    response.set_cookie(
        _COOKIE,
        sealed(json.dumps([asdict(begun), then, int(time.time())])),
        max_age=_GOOD_FOR,
        path=ANSWER,
        secure=settings.SERVES_HTTPS,
        httponly=True,
        samesite="Lax",
    )
    return response


@require_GET
def answer(request: HttpRequest) -> HttpResponse:
    """Sign in whoever comes back with an answer that proves who they are."""
    there, then = provider(), "/"
    try:
        if there is None:
            raise NotProved("no single sign-on is set up here: sign in with name and password")
        begun, then = _remembered(request)
        said, text = there.finish(request.GET, begun)
        person = sign_on(said, peer_of(request))
    except Refusal as refusal:
        return _refused(request, refusal, then)
    begin_session(request, person, signed_on=text)
    return _forgetting(HttpResponseRedirect(then))


def _remembered(request: HttpRequest) -> tuple[Begun, str]:
    """The sign-on that this browser has begun, and where it goes then.

    Raises:
        NotProved: it has begun none, or too long ago.
    """
    try:
        begun, then, at = json.loads(unsealed(request.COOKIES.get(_COOKIE, "")))
    except ValueError:
        raise NotProved("no sign-on was begun in this browser, or it has ended: begin again")
    if time.time() - at > _GOOD_FOR:
        raise NotProved(f"the sign-on was begun more than {_GOOD_FOR // 60} minutes ago: begin again")
    return Begun(**begun), then


def _refused(request: HttpRequest, refusal: Refusal, then: str = "/") -> HttpResponse:
    logger.warning("sign-on from %s refused: %s", peer_of(request), refusal.message)
    begin_again = f"{BEGIN}?{urlencode({'next': then})}" if settings.SIGN_ON else ""
    said = {"refusal": refusal, "begin": begin_again, "nonce": str(getattr(request, "csp_nonce", ""))}
    response = render(request, "lentra/sign_on_refused.html", said, status=refusal.status)
    response["Cache-Control"] = "no-store"
    return _forgetting(response)


def _forgetting(response: HttpResponse) -> HttpResponse:
    response.delete_cookie(_COOKIE, path=ANSWER)
    return response
