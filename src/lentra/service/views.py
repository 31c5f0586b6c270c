"""Health, and the console's one page."""

from __future__ import annotations

from functools import cache
from pkgutil import iter_modules

from django.conf import settings
from django.core.exceptions import DisallowedHost
from django.db import DatabaseError, InterfaceError, connection
from django.db.migrations.recorder import MigrationRecorder
from django.http import FileResponse, HttpRequest, HttpResponse, JsonResponse
from django.views.decorators.csrf import csrf_exempt

from lentra.api.problems import PROBLEM_TYPE, problem
from lentra.registry import migrations
from lentra.registry.models import Lease, Letter, Subscription
from lentra.registry.transactions.clock import database_time, host_is_ahead
from lentra.registry.upkeep import LATE_AFTER

_NO_SUCH_TABLE = 1146
_CLOCKS_MAY_DIFFER = 5  # seconds


def healthz(request: HttpRequest) -> HttpResponse:
    """This process is alive."""
    return JsonResponse({"status": "alive"})


def readyz(request: HttpRequest) -> HttpResponse:
    """This process can serve: the database answers, and its tables are of this version. Also what is to be looked at."""
    try:
        missing = _newest_tables() - set(
            MigrationRecorder.Migration.objects.filter(app="registry").values_list("name", flat=True)
        )
        leases = {lease.name: lease for lease in Lease.objects.filter(pk__in=("upkeep", "events"))}
        late = database_time() - LATE_AFTER
        unsent = Letter.objects.filter(sent_at=None, tries__gt=0, made_at__lt=late).count()
        paused = list(Subscription.objects.exclude(paused="").order_by("name").values_list("name", flat=True)[:5])
    except (DatabaseError, InterfaceError) as failure:
        connection.close()
        tables_missing = failure.args and failure.args[0] == _NO_SUCH_TABLE
        if tables_missing:
            return JsonResponse({"status": "not migrated"}, status=503)
        reason = " ".join(str(part) for part in failure.args)[:200]
        return JsonResponse({"status": "database away", "reason": reason}, status=503)
    if missing:
        return JsonResponse({"status": "not migrated", "missing": sorted(missing)}, status=503)
    ahead = host_is_ahead()
    lease, events = leases.get("upkeep"), leases.get("events")
    last = lease.round_at if lease else None
    look = []
    if last is None or database_time() - last > LATE_AFTER:
        look.append("upkeep has not done a whole round of late: nothing is read, foretold or told by alerts")
    if events is None or database_time() - events.until > LATE_AFTER:
        look.append("nobody puts changes in order: the feed stands still, and subscriptions are told nothing")
    look += [f"subscription {name} is paused: nothing is sent to it" for name in paused]
    if unsent:
        look.append(f"{unsent} letters could not be sent by mail: see LENTRA_MAIL_URL")
    if abs(ahead) > _CLOCKS_MAY_DIFFER:
        look.append(f"this host's clock is {ahead:+.0f} s beside the database's, whose time counts")
    return JsonResponse(
        {"status": "ready", "upkeep_at": last, "clock_ahead_seconds": round(ahead, 1), "look_at": look}
    )


@cache
def _newest_tables() -> set[str]:
    return {module.name for module in iter_modules(migrations.__path__)}


def console(request: HttpRequest, address: str) -> HttpResponse:
    """The console: every address that is no call and no file is one of its pages."""
    page = settings.CONSOLE_DIR / "index.html"
    last = address.rpartition("/")[2]
    if not page.is_file() or ("." in last and last.rpartition(".")[2] in ("js", "css", "map", "png", "ico")):
        return HttpResponse("not found", status=404, content_type="text/plain")
    response = FileResponse(page.open("rb"), content_type="text/html; charset=utf-8")
    response["Cache-Control"] = "no-cache"
    return response


@csrf_exempt
def no_such_call(request: HttpRequest, *_: str) -> HttpResponse:
    """A call that does not exist."""
    body = problem(404, "not-found", "Not found", f"there is no call at {request.path[:200]!r}; see /api/docs")
    return JsonResponse(body, status=404, content_type=PROBLEM_TYPE)


def malformed(request: HttpRequest, exception: Exception) -> HttpResponse:
    """A request that is refused before any call is looked for: an unknown Host, say."""
    if isinstance(exception, DisallowedHost):
        detail = "the service does not answer to this host name: see LENTRA_HOSTS"
    else:
        detail = "the request is malformed"
    return JsonResponse(problem(400, "malformed", "Malformed", detail), status=400, content_type=PROBLEM_TYPE)


def nothing_there(request: HttpRequest, exception: Exception) -> HttpResponse:
    """An address that is neither a call nor a page."""
    body = problem(404, "not-found", "Not found", "there is nothing at this address")
    return JsonResponse(body, status=404, content_type=PROBLEM_TYPE)


def failed(request: HttpRequest) -> HttpResponse:
    """A fault of the service's own; the log has it, by the request's id."""
    detail = f"the service has failed; its log has more under request {getattr(request, 'request_id', '')}"
    return JsonResponse(problem(500, "failed", "Failed", detail), status=500, content_type=PROBLEM_TYPE)
