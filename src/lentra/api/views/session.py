"""Signing in and out, who one is, and one's own tokens."""

from __future__ import annotations

from typing import Any

from django.contrib.auth import login, logout, update_session_auth_hash
from django.db.models import Q
from django.http import Http404
from django.utils.decorators import method_decorator
from django.views.decorators.csrf import ensure_csrf_cookie
from rest_framework import serializers
from rest_framework.exceptions import AuthenticationFailed
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework.viewsets import GenericViewSet

from lentra.api.calls import asked, call
from lentra.api.changes import answer_of, read_version, run_change
from lentra.api.fields import Strict
from lentra.api.reading import find_at_address, read_body
from lentra.api.serializers.lists import BY_AGE, TokenListQuery, narrow
from lentra.api.serializers.setup import PersonSerializer, TokenSerializer
from lentra.api.signing_in import peer_of
from lentra.registry.models import Token
from lentra.registry.operations.people.manage_people import add_token, change_password, revoke_token
from lentra.registry.operations.people.sign_in import prove, sign_in
from lentra.registry.transactions.clock import SystemClock


class SignInSerializer(Strict):
    """Name and password."""

    name = serializers.CharField(max_length=63)
    password = serializers.CharField(max_length=200, trim_whitespace=False)


class PasswordSerializer(Strict):
    """One's present password, and the next."""

    current = serializers.CharField(max_length=200, trim_whitespace=False)
    new = serializers.CharField(max_length=200, trim_whitespace=False)
    revoke_tokens = serializers.BooleanField(default=False, help_text="Revoke all of one's tokens with it.")


@method_decorator(ensure_csrf_cookie, name="dispatch")
class SessionView(APIView):
    permission_classes = (AllowAny,)
    changes_registry = False

    @call("Who am I?", responses=PersonSerializer)
    def get(self, request: Request) -> Response:
        if request.user is None or not request.user.is_authenticated:
            raise AuthenticationFailed("nobody is signed in here")
        return Response(PersonSerializer(request.user).data)

    @call("Sign in (starts a session)", request=SignInSerializer, responses=PersonSerializer)
    def post(self, request: Request) -> Response:
        values = read_body(request, SignInSerializer)
        person = sign_in(values["name"], values["password"], peer_of(request))
        login(request._request, person)
        return Response(PersonSerializer(person).data)

    @call("Sign out: end the session, or revoke the token that comes with the call", responses={204: None})
    def delete(self, request: Request) -> Response:
        if request.auth is not None:
            run_change(request, lambda change: revoke_token(change, request.auth), lambda token: {})
        logout(request._request)
        return Response(status=204)


class PasswordView(APIView):
    @call("Change one's own password", request=PasswordSerializer, responses=answer_of(PersonSerializer))
    def post(self, request: Request) -> Response:
        values = read_body(request, PasswordSerializer)
        prove(request.user, values["current"], peer_of(request))
        answer = run_change(
            request,
            lambda change: change_password(change, values["new"], values["revoke_tokens"]),
            lambda person: PersonSerializer(person).data,
        )
        if not answer.data["preview"] and request.auth is None:
            request.user.refresh_from_db()
            update_session_auth_hash(request._request, request.user)  # this session goes on, others end
        return answer


class TokenViews(GenericViewSet):
    """Tokens: one's own; an admin's calls reach everybody's."""

    serializer_class = TokenSerializer
    queryset = Token.objects.none()
    lookup_field = "ref"
    lookup_value_regex = r"[0-9]{1,18}"
    orders = BY_AGE

    @call("List tokens", query=TokenListQuery)
    def list(self, request: Request) -> Response:
        rows = Token.objects.select_related("person")
        if not request.user.may("admin"):
            rows = rows.filter(person=request.user)
        rows = narrow(rows, asked(request), "person", "role")
        if (usable := asked(request).get("usable")) is not None:
            over = Q(revoked_at__isnull=False) | Q(expires_at__lte=SystemClock().now())
            rows = rows.exclude(over) if usable else rows.filter(over)
        return self.get_paginated_response(self.get_serializer(self.paginate_queryset(rows), many=True).data)

    @call("Make a token", responses={201: answer_of(TokenSerializer)})
    def create(self, request: Request) -> Response:
        read = self.get_serializer(data=request.data)
        read.is_valid(raise_exception=True)

        def work(change: Any) -> Token:
            values = dict(read.validated_data)
            person = values.pop("person", None) or request.user
            token, text = add_token(change, person, **values)
            token.text = text
            return token

        def without_text(answer: dict[str, Any]) -> dict[str, Any]:
            return answer | {"result": {**answer["result"], "text": None}}

        return run_change(request, work, lambda token: self.get_serializer(token).data, 201, kept=without_text)

    @call("Revoke a token", responses={200: answer_of(TokenSerializer)})
    def destroy(self, request: Request, ref: str) -> Response:
        token, version = _find_token(request, ref), read_version(request)
        return run_change(
            request, lambda change: revoke_token(change, token, version), lambda t: self.get_serializer(t).data
        )


def _find_token(request: Request, ref: str) -> Token:
    """A token that the caller may know of: one's own, or any by an admin."""
    token: Token = find_at_address(Token, ref, ("person",))
    if token.person_id != request.user.pk and not request.user.may("admin"):
        raise Http404
    return token
