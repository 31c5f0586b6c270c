"""The measure for (a): a bare endpoint that inserts one row in a transaction, with the same sign-in."""

from __future__ import annotations

from django.db import connection, transaction
from django.urls import path
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from lentra.service.urls import urlpatterns as service_patterns


class Plain(APIView):
    """One insert, nothing else."""

    def post(self, request: Request) -> Response:
        with transaction.atomic(), connection.cursor() as cursor:
            cursor.execute("INSERT INTO bench_plain (name) VALUES (%s)", [str(request.data["name"])])
        return Response({"name": request.data["name"]}, status=201)


urlpatterns = [path("plain", Plain.as_view()), *service_patterns]
