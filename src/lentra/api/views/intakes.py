"""Intakes: upload a table, look at its rows, put cells right, commit, watch, stop, take back, take out what was left."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any
from urllib.parse import quote

from django.conf import settings
from django.core.exceptions import RequestDataTooBig
from django.http import StreamingHttpResponse
from rest_framework.decorators import action
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.viewsets import GenericViewSet

from lentra.api.calls import asked, call
from lentra.api.changes import answer_of, read_version, run_change
from lentra.api.pages import page_from, paged
from lentra.api.reading import find_at_address, read_body
from lentra.api.serializers.intakes import (
    NEWEST,
    CommitIntakeSerializer,
    EditIntakeSerializer,
    IntakeListQuery,
    IntakeRowSerializer,
    IntakeSerializer,
    LeftQuery,
    RowsQuery,
    UploadSerializer,
    intake_facts,
)
from lentra.api.serializers.lists import narrow
from lentra.registry.intakes.asking import (
    ask_to_commit,
    ask_to_stop,
    ask_to_take_back,
    drop_intake,
    edit_intake,
    upload_intake,
)
from lentra.registry.models import Intake, IntakeRow
from lentra.registry.rules.permissions import require
from lentra.tables.writing import MEDIA, write_table

_RELATED = ("work", "person")
_AT_ONCE = 1000
_BESIDE = 1 << 20  # bytes of a body beside its file
WHY = "Why it did not come in"


class IntakeViews(GenericViewSet):
    scopes = ("set-up",)
    serializer_class = IntakeSerializer
    queryset = Intake.objects.select_related(*_RELATED)
    lookup_field = "ref"
    lookup_value_regex = r"[^/]+"
    orders = NEWEST

    def initial(self, request: Request, *args: Any, **kwargs: Any) -> None:
        """Let a file in that is larger than other bodies may be, from whoever may bring it."""
        super().initial(request, *args, **kwargs)
        length = request.META.get("CONTENT_LENGTH", "")
        if request.method == "POST" and self.action == "create" and length.isdigit():
            require(request.user, "planner", "bring a table in")
            if int(length) > settings.INTAKE_BYTES * 4 // 3 + _BESIDE:  # base64
                raise RequestDataTooBig(f"the file is larger than {settings.INTAKE_BYTES >> 20} MiB")
            request._request._body = request._request.read()

    @call("List intakes, the newest first", query=IntakeListQuery)
    def list(self, request: Request) -> Response:
        page = self.paginate_queryset(narrow(self.get_queryset(), asked(request), "state", "table"))
        return self.get_paginated_response([intake_facts(intake) for intake in page])

    @call("Show an intake, and how far the service is with it")
    def retrieve(self, request: Request, ref: str) -> Response:
        return Response(intake_facts(find_at_address(Intake, ref, _RELATED)))

    @call(
        "Upload a table, to be looked at", request=UploadSerializer, responses={201: answer_of(IntakeSerializer)}
    )
    def create(self, request: Request) -> Response:
        """Nothing of it comes in before it is committed."""
        values = read_body(request, UploadSerializer)
        return run_change(
            request,
            lambda change: upload_intake(
                change,
                values["name"],
                values["table"],
                values["content"],
                values.get("options", {}),
                settings.INTAKE_BYTES,
            ),
            intake_facts,
            201,
        )

    @call(
        "Say anew what columns mean, or put cells right",
        request=EditIntakeSerializer,
        responses=answer_of(IntakeSerializer),
    )
    def partial_update(self, request: Request, ref: str) -> Response:
        intake, version = find_at_address(Intake, ref), read_version(request)
        values = read_body(request, EditIntakeSerializer)
        cells = {one["row"]: one["cells"] for one in values.get("cells", [])}
        return run_change(
            request, lambda change: edit_intake(change, intake.pk, values.get("options"), cells, version), _facts
        )

    @call("Drop an open intake", responses={200: answer_of(IntakeSerializer)})
    def destroy(self, request: Request, ref: str) -> Response:
        intake, version = find_at_address(Intake, ref), read_version(request)
        return run_change(request, lambda change: drop_intake(change, intake.pk, version), _facts)

    @call("The rows of an intake", query=RowsQuery, responses=paged(IntakeRowSerializer))
    @action(detail=True, methods=["get"], pagination_class=None)
    def rows(self, request: Request, ref: str) -> Response:
        intake, outcomes = find_at_address(Intake, ref), asked(request).get("outcome")

        def read(start: int, count: int) -> Any:
            rows = intake.rows.filter(number__gte=start).order_by("number")
            return list((rows.filter(outcome__in=outcomes) if outcomes else rows)[:count])

        return page_from(request, read, lambda row: row.number, IntakeRowSerializer().to_representation)

    @call(
        "Commit an intake as it was shown",
        own_proposal=True,
        request=CommitIntakeSerializer,
        responses=answer_of(IntakeSerializer),
    )
    @action(detail=True, methods=["post"])
    def commit(self, request: Request, ref: str) -> Response:
        """The service does it from now on: `stage` tells how far it is."""
        intake, version = find_at_address(Intake, ref), read_version(request)
        values = read_body(request, CommitIntakeSerializer)
        return run_change(
            request,
            lambda change: ask_to_commit(change, intake.pk, values["proposal"], values["good_rows"], version),
            _facts,
        )

    @call("Stop what is being done with an intake", request=None, responses=answer_of(IntakeSerializer))
    @action(detail=True, methods=["post"])
    def stop(self, request: Request, ref: str) -> Response:
        intake, version = find_at_address(Intake, ref), read_version(request)
        return run_change(request, lambda change: ask_to_stop(change, intake.pk, version), _facts)

    @call("Take all back that an intake made", request=None, responses=answer_of(IntakeSerializer))
    @action(detail=True, methods=["post"], url_path="take-back")
    def take_back(self, request: Request, ref: str) -> Response:
        """While nobody has built on it. The service does it from now on: `stage` tells how far it is."""
        intake, version = find_at_address(Intake, ref), read_version(request)
        return run_change(request, lambda change: ask_to_take_back(change, intake.pk, version), _facts)

    @call(
        "The rows that were refused, as a table of the same columns with why",
        query=LeftQuery,
        responses={(200, "text/csv"): {"type": "string"}},
    )
    @action(detail=True, methods=["get"], pagination_class=None)
    def left(self, request: Request, ref: str) -> StreamingHttpResponse:
        intake, form = find_at_address(Intake, ref, _RELATED), asked(request)["as"]
        headings = [column["heading"] for column in intake.work.columns if column["heading"] != WHY]
        rows = ([*(row.cells.get(heading) for heading in headings), _why(row)] for row in _refused(intake))
        pieces = write_table(form, [*headings, WHY], rows, "left")
        name = intake.name.rpartition(".")[0] or intake.name
        # RFC 8187, section 3.2
        disposition = f"attachment; filename*=UTF-8''{quote(f'{name}-left.{form}', safe='')}"
        return StreamingHttpResponse(
            pieces, content_type=MEDIA[form], headers={"Content-Disposition": disposition}
        )


def _facts(intake: Intake) -> dict[str, Any]:
    return intake_facts(Intake.objects.select_related(*_RELATED).get(pk=intake.pk))


def _refused(intake: Intake) -> Iterator[IntakeRow]:
    after = 0
    while page := list(intake.rows.filter(outcome="refused", number__gt=after).order_by("number")[:_AT_ONCE]):
        yield from page
        after = page[-1].number


def _why(row: IntakeRow) -> str:
    would = row.told.get("suggestions") or []
    return row.told.get("message", "") + (f"; would work: {', '.join(would)}" if would else "")
