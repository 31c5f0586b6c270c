"""Intakes: as they are uploaded, told and changed, with their rows."""

from __future__ import annotations

import base64
import binascii
from typing import Any

from rest_framework import serializers

from lentra.api.fields import AnyOf, OfPages, OneOf, RefField, Strict
from lentra.api.serializers.lists import list_query
from lentra.registry.intakes.columns import COLUMNS
from lentra.registry.models import INTAKE_STATES, OUTCOMES, Intake
from lentra.tables.writing import MEDIA

TABLES = tuple(COLUMNS)
NEWEST = {"newest": "-created_at", "oldest": "created_at"}
_HEADING = {"max_length": 1000, "allow_blank": True}


class OptionsSerializer(Strict):
    """What the columns of a table mean, and how it comes in."""

    columns = serializers.DictField(
        child=serializers.CharField(**_HEADING),
        required=False,
        help_text="Field -> heading of its column; empty for none. What is left out is guessed by the headings.",
    )
    set = serializers.DictField(
        child=serializers.CharField(**_HEADING),
        required=False,
        help_text="Field -> a value for every row that says none.",
    )
    values = serializers.DictField(
        child=serializers.DictField(child=serializers.CharField(**_HEADING)),
        required=False,
        help_text="Field -> what stands in the table -> what is meant.",
    )
    labels = serializers.ListField(
        child=serializers.CharField(max_length=1000),
        required=False,
        max_length=200,
        help_text="Headings of columns that become labels.",
    )
    sheet = serializers.CharField(
        required=False, max_length=100, help_text="The workbook's sheet; its first one if left out."
    )
    encoding = serializers.CharField(
        required=False, max_length=40, help_text="Of a text file; found out if left out."
    )
    realm = serializers.CharField(required=False, max_length=100, help_text="Of rows that name none.")
    pool = serializers.CharField(required=False, max_length=130, help_text="Of rows that name none.")
    outer = OneOf(["pools"], required=False, help_text="pools: a row that contains others becomes one.")
    make_missing = serializers.BooleanField(
        required=False, help_text="Make the regions, zones, tiers and projects that there are not."
    )
    update = serializers.BooleanField(
        required=False, help_text="Take over facts that differ from those of what is there."
    )


class UploadSerializer(Strict):
    """A file that holds a table."""

    name = serializers.CharField(max_length=200, help_text="The file's name.")
    table = OneOf(TABLES, help_text="The kind of records in it.")
    content = serializers.CharField(trim_whitespace=False, help_text="The file, in base64 (RFC 4648, section 4).")
    options = OptionsSerializer(required=False)

    def validate_content(self, text: str) -> bytes:
        try:
            return base64.b64decode(text, validate=True)
        except (binascii.Error, ValueError):
            raise serializers.ValidationError("it is not base64")


class CellsSerializer(Strict):
    """Cells of one row that are put right."""

    row = serializers.IntegerField(min_value=1, help_text="Number of the row in its file.")
    cells = serializers.DictField(
        child=serializers.CharField(max_length=10_000, allow_blank=True), help_text="Heading -> text."
    )


class EditIntakeSerializer(Strict):
    """What is said anew of an open intake; it is looked at again."""

    options = OptionsSerializer(required=False)
    cells = serializers.ListField(child=CellsSerializer(), required=False, max_length=1000)


class CommitIntakeSerializer(Strict):
    """The word to commit what was shown."""

    proposal = serializers.CharField(max_length=64, help_text="That of the look that was shown.")
    good_rows = serializers.BooleanField(
        required=False, default=False, help_text="Leave out the rows that are refused."
    )


class ColumnSerializer(serializers.Serializer):
    """A column of the table."""

    heading = serializers.CharField()
    field = serializers.CharField(allow_blank=True, help_text="What it means; empty for nothing.")
    guessed = serializers.BooleanField(help_text="Whether that was guessed by its heading.")
    samples = serializers.ListField(child=serializers.CharField(), help_text="What stands in its first rows.")


class FieldSerializer(serializers.Serializer):
    """A field that a column may mean."""

    name = serializers.CharField()
    about = serializers.CharField()
    needed = serializers.BooleanField(help_text="Whether every row must say it.")


class IntakeUsageSerializer(serializers.Serializer):
    """Usage of a pool before and after."""

    pool = serializers.CharField()
    family = serializers.IntegerField()
    before_percent = serializers.FloatField()
    after_percent = serializers.FloatField()
    added = serializers.CharField(help_text="Addresses that come in. A whole number as text.")


class FaultSerializer(serializers.Serializer):
    """Why nothing came of what was asked for."""

    message = serializers.CharField()
    code = serializers.CharField()
    field = serializers.CharField(allow_null=True, required=False)
    rule = serializers.CharField(allow_null=True, required=False)
    conflicts = serializers.ListField(child=serializers.DictField())
    suggestions = serializers.ListField(child=serializers.CharField())


class IntakeSerializer(serializers.ModelSerializer):
    """An intake: its file, what its columns mean, how far the service is with it, and what becomes of its rows."""

    person = RefField(allow_null=True)
    options = OptionsSerializer()
    made = serializers.DictField(child=serializers.IntegerField(), help_text="What it has made, by outcome.")
    stage = serializers.CharField(
        source="work.stage", help_text="What it waits for, or what is being done; empty for nothing."
    )
    done = serializers.IntegerField(source="work.done", help_text="How many are done of what is counted.")
    total = serializers.IntegerField(source="work.total", help_text="Of how many; 0 if that is not known.")
    of = serializers.CharField(
        source="work.of", help_text="What is counted, such as rows read, placed or written."
    )
    told = serializers.CharField(source="work.told", help_text="How the file was read.")
    columns = ColumnSerializer(source="work.columns", many=True)
    fields = FieldSerializer(many=True)
    counts = serializers.DictField(
        source="work.counts", child=serializers.IntegerField(), help_text="Rows by outcome."
    )
    missing = serializers.DictField(
        source="work.missing",
        child=serializers.ListField(child=serializers.CharField()),
        help_text="What is made for them: kind -> names.",
    )
    usage = IntakeUsageSerializer(source="work.usage", many=True)
    fault = FaultSerializer(source="work.fault", allow_null=True)
    proposal = serializers.CharField(source="work.proposal", help_text="Given with the word to commit.")

    class Meta:
        model = Intake
        fields = (
            *(
                "id",
                "version",
                "name",
                "table",
                "digest",
                "size",
                "state",
                "person",
                "created_at",
                "options",
                "made",
            ),
            *("stage", "done", "total", "of", "told", "columns", "fields", "counts", "missing", "usage", "fault"),
            "proposal",
        )
        extra_kwargs = {
            "digest": {"help_text": "SHA-256 of the file (FIPS 180-4)."},
            "size": {"help_text": "Of the file, in bytes."},
            "table": {"help_text": "The kind of records in it."},
        }


class IntakeRowSerializer(serializers.Serializer):
    """A row of a table, and what becomes of it."""

    number = serializers.IntegerField(help_text="Of the row in its file.")
    outcome = OneOf(OUTCOMES)
    cells = serializers.DictField(help_text="Heading -> what was read.")
    told = serializers.DictField(help_text="Why it is refused, what differs, or what it would be.")


IntakeListQuery = list_query(
    "Intakes",
    NEWEST,
    state=AnyOf(OneOf(INTAKE_STATES)),
    table=AnyOf(OneOf(TABLES)),
)


class RowsQuery(OfPages):
    """Which rows."""

    outcome = AnyOf(OneOf(OUTCOMES), help_text="Of these outcomes.")


LeftQuery = type(
    "LeftQuerySerializer",
    (Strict,),
    {"as": OneOf(tuple(MEDIA), required=False, default="csv"), "__doc__": "In which format."},
)


def intake_facts(intake: Intake) -> dict[str, Any]:
    """An intake as it is told."""
    intake.fields = [
        {"name": column.name, "about": column.about, "needed": column.needed} for column in COLUMNS[intake.table]
    ]
    return IntakeSerializer(intake).data
