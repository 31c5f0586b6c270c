"""Estate files: as they are written, sent, and told of."""

from __future__ import annotations

from typing import Any

from rest_framework import serializers

from lentra.api.fields import MeantField, Strict
from lentra.registry.estate.estate import Entry, Proposed, where
from lentra.registry.models import Project, Realm


class EstateQuery(Strict):
    """Of what an estate file is to be written."""

    realm = MeantField(Realm, required=False)
    project = MeantField(Project, required=False)
    subnets = serializers.BooleanField(
        required=False, default=False, help_text="With the subnets that are in use."
    )
    addresses = serializers.BooleanField(required=False, default=False, help_text="With the address records.")


class EstateSerializer(serializers.Serializer):
    """An estate file."""

    text = serializers.CharField(help_text="As YAML.")
    document = serializers.DictField(help_text="The same as an object.")


class EstateInSerializer(Strict):
    """An estate file to preview or commit: its `text` (YAML or JSON), or its `document`."""

    text = serializers.CharField(required=False, max_length=1_900_000, trim_whitespace=False)
    document = serializers.DictField(required=False)
    files = serializers.DictField(
        child=serializers.CharField(max_length=1_900_000, trim_whitespace=False),
        required=False,
        help_text="The texts of the plans that it names: name of the file -> text.",
    )
    take_away = serializers.BooleanField(
        required=False, default=False, help_text="Take away what is not in the file, of the sections that it has."
    )


class EstateEntrySerializer(serializers.Serializer):
    """What becomes of an entry, or of a record that the file does not have."""

    where = serializers.CharField(help_text="Line, section and key.")
    section = serializers.CharField(help_text="The kind of records.")
    key = serializers.CharField(help_text="The record's key in the file.")
    what = serializers.CharField(help_text="added, edited, refused, not in the file, or taken away.")
    differs = serializers.DictField(
        child=serializers.ListField(child=serializers.CharField(allow_blank=True)),
        help_text="Fact -> what it is, what the file says.",
    )
    message = serializers.CharField(help_text="Why it is refused; empty if it is not.", allow_blank=True)
    suggestions = serializers.ListField(child=serializers.CharField(), help_text="What would be accepted.")


class ProposedEstateSerializer(serializers.Serializer):
    """What an estate file comes to. It is possible if nothing is refused."""

    possible = serializers.BooleanField(help_text="Whether nothing stands against it.")
    changes = serializers.BooleanField(help_text="Whether anything would be another thing afterwards.")
    counts = serializers.DictField(
        child=serializers.DictField(child=serializers.IntegerField()), help_text="Section -> what -> how many."
    )
    entries = EstateEntrySerializer(many=True, help_text="All but those that are the same.")


def estate_facts(proposed: Proposed) -> dict[str, Any]:
    """What an estate file comes to, as it is told."""
    return {
        "possible": not proposed.refused,
        "changes": proposed.changes,
        "counts": proposed.counts,
        "entries": [_entry(entry) for entry in proposed.entries if entry.what != "same"],
    }


def _entry(entry: Entry) -> dict[str, Any]:
    told = entry.found.told if entry.what == "refused" else {}
    return {
        "where": where(entry),
        "section": entry.section,
        "key": entry.key,
        "what": entry.what,
        "differs": entry.differs,
        "message": told.get("message", ""),
        "suggestions": told.get("suggestions", []),
    }


class QuestionSerializer(serializers.Serializer):
    """One thing that is asked."""

    name = serializers.CharField(help_text="The name that its answer goes by.")
    label = serializers.CharField(help_text="How it is asked.")
    usual = serializers.CharField(help_text="An answer that would do.")
    help = serializers.CharField(help_text="What the answer is like.")


class BeginStepSerializer(serializers.Serializer):
    """One step of the beginning."""

    name = serializers.CharField(help_text="Which step it is.")
    title = serializers.CharField(help_text="Its title.")
    words = serializers.CharField(help_text="What it is about.")
    questions = QuestionSerializer(many=True, help_text="What is asked.")


class BeginStepsSerializer(serializers.Serializer):
    """The steps of the beginning."""

    steps = BeginStepSerializer(many=True, help_text="In order.")


class AnswersSerializer(Strict):
    """Answers by the names of the questions; what is not answered is as usual."""

    answers = serializers.DictField(
        child=serializers.CharField(max_length=500, allow_blank=True),
        required=False,
        default=dict,
        help_text="Answers by the names of the questions.",
    )


class BeginningSerializer(serializers.Serializer):
    """An estate file with a first plan: to be previewed and committed as any."""

    text = serializers.CharField(help_text="The file as YAML.")
    document = serializers.DictField(help_text="The same as a document.")
    files = serializers.DictField(child=serializers.CharField(), help_text="The plans that it names.")
