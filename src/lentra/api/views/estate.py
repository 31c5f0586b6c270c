"""The registry as a file: written, previewed, committed."""

from __future__ import annotations

from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from lentra.api.calls import asked, call
from lentra.api.changes import answer_of, run_change
from lentra.api.reading import read_body
from lentra.api.serializers.estate import (
    AnswersSerializer,
    BeginningSerializer,
    BeginStepsSerializer,
    EstateInSerializer,
    EstateQuery,
    EstateSerializer,
    ProposedEstateSerializer,
    estate_facts,
)
from lentra.registry.errors import Invalid
from lentra.registry.estate.beginning import STEPS, beginning
from lentra.registry.estate.estate import (
    check_document,
    commit_estate,
    read_estate,
    schema,
    text_of_estate,
    write_estate,
)
from lentra.registry.rules.permissions import require


class EstateView(APIView):
    scopes = ("set-up",)

    @call("The registry, a realm or a project as an estate file", query=EstateQuery, responses=EstateSerializer)
    def get(self, request: Request) -> Response:
        values = asked(request)
        also = tuple(
            name for name, given in (("subnets", "subnets"), ("address records", "addresses")) if values[given]
        )
        document = write_estate(values.get("realm"), values.get("project"), also)
        return Response({"text": text_of_estate(document), "document": document})

    @call(
        "Commit an estate file, or preview it",
        request=EstateInSerializer,
        responses=answer_of(ProposedEstateSerializer),
    )
    def post(self, request: Request) -> Response:
        """All of it, or nothing. A preview tells all that stands against it; with nothing to do nothing is done."""
        require(request.user, "planner", "commit an estate")  # before a long text is read
        values = read_body(request, EstateInSerializer)
        if ("text" in values) == ("document" in values):
            raise Invalid("give an estate's text, or its document", field="text")
        if "text" in values:
            document, lines = read_estate(values["text"])
        else:
            document, lines = values["document"], {}
            check_document(document, lines)
        take_away, files = values["take_away"], values.get("files", {})
        return run_change(
            request, lambda change: commit_estate(change, document, lines, take_away, files), estate_facts
        )


class EstateSchemaView(APIView):
    """The JSON Schema of the format."""

    @call("The JSON Schema of an estate file", responses={200: {"type": "object", "additionalProperties": True}})
    def get(self, request: Request) -> Response:
        return Response(schema())


class BeginView(APIView):
    changes_registry = False

    @call("The steps of a guided beginning", responses=BeginStepsSerializer)
    def get(self, request: Request) -> Response:
        """What is asked, with what would do as an answer."""
        return Response(BeginStepsSerializer({"steps": STEPS}).data)

    @call("Make an estate file of answers", request=AnswersSerializer, responses=BeginningSerializer)
    def post(self, request: Request) -> Response:
        """An estate file with a first plan; nothing is changed. It is previewed and committed as any."""
        made = beginning(read_body(request, AnswersSerializer)["answers"])
        return Response(BeginningSerializer(made).data)
