"""Subscriptions as the API tells and takes them."""

from __future__ import annotations

from typing import Any

from django.db.models import Model
from rest_framework import serializers

from lentra.api.fields import RefField, Several, Strict
from lentra.api.serializers.records import ALWAYS, RecordSerializer
from lentra.registry.models import Project, Realm, Subscription


class SubscriptionSerializer(RecordSerializer):
    """An address to which changes are sent; an empty list of kinds, verbs, realms or projects means any."""

    kinds = Several(
        child=serializers.CharField(max_length=40), required=False, max_length=40, help_text="Kinds of records."
    )
    verbs = Several(
        child=serializers.CharField(max_length=40), required=False, max_length=40, help_text="What was done."
    )
    realms = Several(child=RefField(Realm), required=False, max_length=100, help_text="Of these realms alone.")
    projects = Several(
        child=RefField(Project), required=False, max_length=100, help_text="Of these projects alone."
    )
    secret = serializers.CharField(
        write_only=True,
        required=False,
        allow_blank=True,
        max_length=200,
        help_text="What events are signed with; one is made if none is given, and another one if it is emptied.",
    )
    told_secret = serializers.CharField(
        read_only=True, allow_null=True, default=None, help_text="A secret that was made; told once."
    )
    sent = serializers.IntegerField(read_only=True, help_text="The feed is dealt with up to this number.")
    taken = serializers.IntegerField(read_only=True, help_text="Events that were taken.")
    taken_at = serializers.DateTimeField(read_only=True, allow_null=True, help_text="When the last one was.")
    failing_since = serializers.DateTimeField(
        read_only=True, allow_null=True, help_text="Since when an event is not taken."
    )
    tries = serializers.IntegerField(read_only=True, help_text="How often that event was tried.")
    outcome = serializers.CharField(read_only=True, help_text="Of the last try.")

    class Meta:
        model = Subscription
        fields = (
            *(*ALWAYS, "name", "endpoint", "kinds", "verbs", "realms", "projects", "paused", "about"),
            *("secret", "told_secret", "sent", "taken", "taken_at", "failing_since", "tries", "outcome"),
        )
        read_only_fields = ("id", "paused")

    def to_internal_value(self, data: Any) -> dict[str, Any]:
        values = super().to_internal_value(data)
        return values | {
            name: [one.pk for one in values[name]] for name in ("realms", "projects") if name in values
        }

    def to_representation(self, subscription: Subscription) -> dict[str, Any]:
        progress = getattr(subscription, "progress", None)
        names = ("sent", "taken", "taken_at", "failing_since", "tries", "outcome")
        own = {
            name: getattr(subscription, name)
            for name in ("id", "name", "endpoint", "kinds", "verbs", "paused", "about")
        }
        return {
            **own,
            "version": subscription.last_entry,
            "realms": _named(Realm, subscription.realms),
            "projects": _named(Project, subscription.projects),
            "told_secret": getattr(subscription, "told_secret", None),
            **{name: getattr(progress, name, None) for name in names},
        }


class PauseSerializer(Strict):
    """Why nothing is to be sent for now."""

    reason = serializers.CharField(required=False, allow_blank=True, default="", max_length=300)


class ResumeSerializer(Strict):
    """From where to go on."""

    after = serializers.IntegerField(
        required=False, min_value=0, help_text="Send again what came after this number; 0 for all there is."
    )


def _named(model: type[Model], numbers: list[int]) -> list[dict[str, Any]]:
    rows = model._default_manager.filter(pk__in=numbers).order_by("name") if numbers else ()
    return [{"id": row.pk, "name": row.name} for row in rows]
