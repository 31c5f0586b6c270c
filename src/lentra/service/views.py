"""Health, and the console's one page."""

from __future__ import annotations

from django.conf import settings
from django.db import DatabaseError, connection
from django.http import FileResponse, HttpRequest, HttpResponse, JsonResponse

from lentra.api.problems import PROBLEM_TYPE, problem


def healthz(request: HttpRequest) -> HttpResponse:
    """This process is alive."""
    return JsonResponse({"status": "alive"})


def readyz(request: HttpRequest) -> HttpResponse:
    """This process can serve: the database answers and its tables are there."""
    try:
        with connection.cursor() as cursor:
            cursor.execute("SELECT COUNT(*) FROM django_migrations WHERE app = 'registry'")
            migrated = cursor.fetchone()[0] > 0
    except DatabaseError as failure:
        connection.close()
        return JsonResponse({"status": "database away", "reason": str(failure.args[:1])}, status=503)
    if not migrated:
        return JsonResponse({"status": "not migrated"}, status=503)
    return JsonResponse({"status": "ready"})


def console(request: HttpRequest, address: str) -> HttpResponse:
    """The console: every address that is no call and no file is one of its pages."""
    page = settings.CONSOLE_DIR / "index.html"
    last = address.rpartition("/")[2]
    if not page.is_file() or ("." in last and last.rpartition(".")[2] in ("js", "css", "map", "png", "ico")):
        return HttpResponse("not found", status=404, content_type="text/plain")
    response = FileResponse(page.open("rb"), content_type="text/html; charset=utf-8")
    response["Cache-Control"] = "no-cache"
    return response


def no_such_call(request: HttpRequest, *_: str) -> HttpResponse:
    """A call that does not exist."""
    body = problem(404, "not-found", "Not found", f"there is no call at {request.path[:200]}; see /api/docs")
    return JsonResponse(body, status=404, content_type=PROBLEM_TYPE)
