"""The first page: what somebody comes for."""

from __future__ import annotations

from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from lentra import __version__
from lentra.api.calls import call
from lentra.api.serializers.today import TodaySerializer
from lentra.registry.models import Pool
from lentra.registry.reports.today import today
from lentra.registry.transactions.clock import SystemClock


class TodayView(APIView):
    @call("What I come for: a few lists of few lines", responses=TodaySerializer)
    def get(self, request: Request) -> Response:
        """By what one does: projects and requests of one's own, what waits, alerts, what fills first, what ends soon."""
        told = {
            "role": request.user.acting_role,
            "version": __version__,
            "registry_is_empty": not Pool.objects.exists(),
            "sections": today(request.user, SystemClock().now()),
        }
        return Response(TodaySerializer(told).data)
