"""The identity provider of this service, if it has one: see LENTRA_SIGN_ON_ISSUER."""

from __future__ import annotations

from functools import cache

from django.conf import settings

from lentra.signing_on.provider import Provider

BEGIN, ANSWER = "/sign-on", "/sign-on/answer"  # addresses of the console's service that a browser is sent to


@cache
def provider() -> Provider | None:
    """The provider, as the settings say."""
    given = settings.SIGN_ON
    if not given:
        return None
    return Provider(
        given["issuer"],
        given["client"],
        given["secret"],
        settings.PUBLIC_URL + ANSWER,
        given["name_claim"],
        given["groups_claim"],
    )
