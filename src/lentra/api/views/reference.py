"""The page that the `type` of a problem document points to: every code with its meaning."""

from __future__ import annotations

from csp.constants import SELF, UNSAFE_INLINE
from csp.decorators import csp_replace
from django.http import HttpRequest, HttpResponse
from django.utils.decorators import method_decorator
from django.utils.html import format_html, format_html_join
from drf_spectacular.views import SpectacularSwaggerSplitView

from lentra.addressing.refusal import Refusal

_OWN = (
    ("failed", "A fault of the service's own; its log has more."),
    ("no-csrf-token", "A session's changing call without the token from the cookie lentra_csrf."),
    ("not-found", "There is nothing at this address."),
    ("unknown-field", "A field or filter that the call does not know."),
    ("malformed", "The body is no JSON."),
    ("too-large", "The body is larger than 2 MB."),
    ("unsupported-media-type", "The body is said to be something else than JSON."),
    ("not-acceptable", "The answer is wanted as something that it cannot be."),
    ("method-not-allowed", "The address exists, but not with this method."),
)


@method_decorator(csp_replace({"style-src": [SELF, UNSAFE_INLINE]}), name="dispatch")
class DocsView(SpectacularSwaggerSplitView):
    """The API's documents as a page to try calls from."""


def problem_codes() -> list[tuple[str, str]]:
    """Every code that the service gives, with one sentence."""
    found = [("refused", "A refusal without a kind of its own.")]
    found += [(kind.code, (kind.__doc__ or "").strip()) for kind in _all_kinds(Refusal)]
    return sorted([*found, *_OWN])


def problems_page(request: HttpRequest) -> HttpResponse:
    """The codes as a plain page."""
    rows = format_html_join(
        "", '<dt id="{}"><code>{}</code></dt><dd>{}</dd>', ((c, c, d) for c, d in problem_codes())
    )
    page = format_html(
        '<!doctype html><html lang="en"><head><meta charset="utf-8"><title>Problem codes · Lentra</title>'
        '<style nonce="{}">body {{ font-family: system-ui; max-width: 48rem; margin: 2rem auto; line-height: 1.5 }}</style>'
        "</head><body><h1>Problem codes</h1><dl>{}</dl></body></html>",
        request.csp_nonce,
        rows,
    )
    return HttpResponse(page)


def _all_kinds(kind: type[Refusal]) -> list[type[Refusal]]:
    below = kind.__subclasses__()
    return below + [deeper for one in below for deeper in _all_kinds(one)]
