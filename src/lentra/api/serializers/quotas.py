"""Quotas as the API tells and takes them."""

from __future__ import annotations

from typing import Any

from rest_framework import serializers

from lentra.api.fields import OneOf
from lentra.api.serializers.records import ALWAYS, RecordSerializer
from lentra.registry.foresight.quotas import use_of_quotas
from lentra.registry.models import Quota
from lentra.registry.rules.quotas import LIMITS
from lentra.registry.transactions.clock import SystemClock


class QuotaUseSerializer(serializers.Serializer):
    """One limit of a quota, and what is used of it."""

    what = OneOf(list(LIMITS), help_text="What is limited.")
    words = serializers.CharField(help_text="The same in words.")
    limit = serializers.IntegerField(min_value=0, help_text="How much there may be.")
    used = serializers.IntegerField(help_text="How much there is.")
    left = serializers.IntegerField(min_value=0, help_text="How much more may be asked for.")
    reached_on = serializers.DateField(allow_null=True, help_text="The likely day on which it is reached.")
    no_forecast = serializers.CharField(allow_null=True, help_text="Why no day is told.")


class QuotaSerializer(RecordSerializer):
    """How much a project may have: everywhere, or in one realm, region or pool; null for no limit."""

    name = serializers.CharField(
        source="label_text", read_only=True, help_text="What it is called: its project, and where it counts."
    )
    use = QuotaUseSerializer(many=True, read_only=True, help_text="What is used of each limit.")

    class Meta:
        model = Quota
        fields = (*ALWAYS, "name", "project", "realm", "region", "pool", *LIMITS, "about", "use")
        read_only_fields = ("id",)

    def to_representation(self, quota: Quota) -> dict[str, Any]:
        return super().to_representation(quota) | {"use": QuotaUseSerializer(self._use(quota), many=True).data}

    def _use(self, quota: Quota) -> list[dict[str, Any]]:
        """What is used of it: of all quotas that are told together, with one reading of their history."""
        if quota.pk is None:
            return []
        together = self.parent.instance if self.parent is not None else None
        if not together:
            return use_of_quotas([quota], SystemClock().now())[quota.pk]
        if "use" not in self.context:
            self.context["use"] = use_of_quotas(list(together), SystemClock().now())
        return list(self.context["use"][quota.pk])

    def get_fields(self) -> dict[str, Any]:
        fields = super().get_fields()
        fields["use"].get_attribute = lambda quota: []
        return fields
