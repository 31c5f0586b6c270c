"""Signing in and out, who one is, and one's own tokens."""

from __future__ import annotations

from typing import Any

from django.contrib.auth import authenticate, login, logout
from django.utils.decorators import method_decorator
from django.views.decorators.csrf import ensure_csrf_cookie
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.exceptions import AuthenticationFailed
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.throttling import AnonRateThrottle
from rest_framework.views import APIView
from rest_framework.viewsets import GenericViewSet

from lentra.api.changes import answer_of, run_change
from lentra.api.fields import Strict
from lentra.api.reading import find_at_address
from lentra.api.serializers.setup import PersonSerializer, TokenSerializer
from lentra.registry.models import Token
from lentra.registry.operations.manage_people import add_token, revoke_token


class SignInSerializer(Strict):
    """Name and password."""

    name = serializers.CharField(max_length=63)
    password = serializers.CharField(max_length=200, trim_whitespace=False)


class SignInThrottle(AnonRateThrottle):
    """Slows down whoever tries passwords."""

    rate = "60/min"


@method_decorator(ensure_csrf_cookie, name="dispatch")
class SessionView(APIView):
    permission_classes = (AllowAny,)
    changes_registry = False

    def get_throttles(self) -> list[Any]:
        return [SignInThrottle()] if self.request.method == "POST" else []

    @extend_schema(summary="Who am I?", responses=PersonSerializer)
    def get(self, request: Request) -> Response:
        if request.user is None or not request.user.is_authenticated:
            raise AuthenticationFailed("nobody is signed in here")
        return Response(PersonSerializer(request.user).data)

    @extend_schema(summary="Sign in (starts a session)", request=SignInSerializer, responses=PersonSerializer)
    def post(self, request: Request) -> Response:
        read = SignInSerializer(data=request.data)
        read.is_valid(raise_exception=True)
        person = authenticate(
            request._request, name=read.validated_data["name"], password=read.validated_data["password"]
        )
        if person is None:
            raise AuthenticationFailed("name or password is wrong, or the person is no longer active")
        login(request._request, person)
        return Response(PersonSerializer(person).data)

    @extend_schema(summary="Sign out", responses={204: None})
    def delete(self, request: Request) -> Response:
        logout(request._request)
        return Response(status=204)


class TokenViews(GenericViewSet):
    """Tokens: one's own; an admin's calls reach everybody's."""

    serializer_class = TokenSerializer
    queryset = Token.objects.none()
    lookup_field = "ref"
    lookup_value_regex = r"[0-9]{1,18}"

    @extend_schema(summary="List tokens")
    def list(self, request: Request) -> Response:
        rows = Token.objects.select_related("person")
        if not request.user.may("admin"):
            rows = rows.filter(person=request.user)
        return self.get_paginated_response(self.get_serializer(self.paginate_queryset(rows), many=True).data)

    @extend_schema(summary="Make a token", responses={201: answer_of(TokenSerializer)})
    def create(self, request: Request) -> Response:
        read = self.get_serializer(data=request.data)
        read.is_valid(raise_exception=True)
        values = read.validated_data

        def work(change: Any) -> Token:
            person = values.get("person") or request.user
            token, text = add_token(change, person, values["name"], values.get("expires_at"))
            token.text = text
            return token

        def without_text(answer: dict[str, Any]) -> dict[str, Any]:
            return answer | {"result": {**answer["result"], "text": None}}

        return run_change(request, work, lambda token: self.get_serializer(token).data, 201, kept=without_text)

    @extend_schema(summary="Revoke a token", responses=answer_of(TokenSerializer))
    def destroy(self, request: Request, ref: str) -> Response:
        token = _find_token(ref)
        return run_change(
            request, lambda change: revoke_token(change, token), lambda t: self.get_serializer(t).data
        )


def _find_token(ref: str) -> Token:
    return find_at_address(Token, ref, ("person",))
