"""Signing in and out, who one is, and one's own tokens."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import segno
from django.conf import settings
from django.contrib.auth import logout, update_session_auth_hash
from django.db.models import Q
from django.http import Http404
from django.utils.decorators import method_decorator
from django.views.decorators.csrf import ensure_csrf_cookie
from rest_framework import serializers
from rest_framework.decorators import action
from rest_framework.exceptions import AuthenticationFailed
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework.viewsets import GenericViewSet

from lentra.api.calls import asked, call
from lentra.api.changes import answer_of, read_version, run_change
from lentra.api.fields import MailField, OneOf, RefField, Strict
from lentra.api.reading import find_at_address, read_body
from lentra.api.serializers.lists import BY_AGE, SessionListQuery, TokenListQuery, narrow
from lentra.api.serializers.setup import PersonSerializer, RotateSerializer, TokenSerializer
from lentra.api.signing_in import begin_session, peer_of, signed_on
from lentra.registry.models import MAILED, OpenSession, Token
from lentra.registry.operations.people.manage_people import change_password, set_own_mail
from lentra.registry.operations.people.second_factor import (
    begin_second_factor,
    confirm_second_factor,
    turn_off_second_factor,
)
from lentra.registry.operations.people.sessions import end_session
from lentra.registry.operations.people.sign_in import prove, sign_in
from lentra.registry.operations.people.terminals import GOOD_FOR, terminal_code, token_for_code
from lentra.registry.operations.people.tokens import add_token, revoke_token, rotate_token
from lentra.registry.rules.permissions import manages_tokens_of
from lentra.registry.rules.sign_ins import LOCAL_SIGN_INS
from lentra.registry.transactions.clock import SystemClock
from lentra.signing_on.configured import BEGIN, provider


class SignInSerializer(Strict):
    """Name and password."""

    name = serializers.CharField(max_length=63)
    password = serializers.CharField(max_length=200, trim_whitespace=False)
    code = serializers.CharField(
        max_length=40,
        required=False,
        allow_blank=True,
        default="",
        help_text="Of the second factor, or for recovery.",
    )


class PasswordSerializer(Strict):
    """One's present password, and the next."""

    current = serializers.CharField(max_length=200, trim_whitespace=False)
    new = serializers.CharField(max_length=200, trim_whitespace=False)
    revoke_tokens = serializers.BooleanField(default=False, help_text="Revoke all of one's tokens with it.")


class OwnMailSerializer(Strict):
    """How one is told by mail."""

    email = MailField(required=False, allow_blank=True, help_text="Where mail goes to; empty for nowhere.")
    mail = OneOf(list(MAILED), required=False, help_text="At once, once a day, or never.")


class CodeSerializer(Strict):
    """A code of the second factor."""

    code = serializers.CharField(max_length=40, help_text="Six digits, or a recovery code.")


class SecretSerializer(serializers.Serializer):
    """What an authenticator is set up with."""

    secret = serializers.CharField(help_text="The secret, in base32 (RFC 4648).")
    uri = serializers.CharField(help_text="The same as an address that authenticators read.")
    picture = serializers.CharField(help_text="That address as a QR code: a picture as a data URI.")


class RecoverySerializer(serializers.Serializer):
    """Codes for whoever has lost the authenticator; told once."""

    recovery = serializers.ListField(child=serializers.CharField(), help_text="Each is good for one sign-in.")


class OpenSessionSerializer(serializers.ModelSerializer):
    """A session of the console."""

    person = RefField(read_only=True, help_text="Whose it is.")
    begun_at = serializers.DateTimeField(read_only=True, help_text="When it began.")
    peer = serializers.CharField(read_only=True, help_text="Where it comes from.")
    agent = serializers.CharField(read_only=True, help_text="What the browser calls itself.")

    class Meta:
        model = OpenSession
        fields = ("id", "person", "begun_at", "peer", "agent")


class SignOnWaySerializer(serializers.Serializer):
    """A single sign-on that people may come by."""

    title = serializers.CharField(help_text="What it is called.")
    address = serializers.CharField(help_text="Where a browser begins it.")


class WaysSerializer(serializers.Serializer):
    """How one can sign in."""

    password = OneOf(list(LOCAL_SIGN_INS), help_text="Who signs in by name and password.")
    sign_on = SignOnWaySerializer(allow_null=True, help_text="The single sign-on, if there is one.")


class SignedOutSerializer(serializers.Serializer):
    """One is signed out here."""

    continue_at = serializers.CharField(
        allow_null=True, help_text="Where a browser goes on, to sign out of the single sign-on as well."
    )


class TerminalSerializer(Strict):
    """A terminal that asks to sign in."""

    name = serializers.CharField(max_length=63, help_text="What its token is to be called.")
    challenge = serializers.CharField(
        max_length=43, help_text="The SHA-256 of the terminal's verifier, in base64url (RFC 7636, S256)."
    )


class CodeForTerminalSerializer(serializers.Serializer):
    """What the terminal is given."""

    code = serializers.CharField(help_text="Good for one sign-in, by the terminal that has the verifier.")
    good_until = serializers.DateTimeField(help_text="Until when.")


class VerifierSerializer(Strict):
    """A code, and the proof that it is the terminal's own."""

    code = serializers.CharField(max_length=1000, help_text="What the console gave.")
    verifier = serializers.CharField(min_length=43, max_length=128, help_text="Whose SHA-256 was the challenge.")


@method_decorator(ensure_csrf_cookie, name="dispatch")
class SessionView(APIView):
    permission_classes = (AllowAny,)
    changes_registry = False
    before_second_factor = True

    @call("Who am I?", responses=PersonSerializer)
    def get(self, request: Request) -> Response:
        if request.user is None or not request.user.is_authenticated:
            raise AuthenticationFailed("nobody is signed in here")
        return Response(PersonSerializer(request.user).data)

    @call("Sign in (starts a session)", request=SignInSerializer, responses=PersonSerializer)
    def post(self, request: Request) -> Response:
        values = read_body(request, SignInSerializer)
        person = sign_in(values["name"], values["password"], peer_of(request), code=values["code"])
        begin_session(request._request, person)
        return Response(PersonSerializer(person).data)

    @call(
        "Sign out: end the session, or revoke the token that comes with the call",
        responses={200: SignedOutSerializer},
    )
    def delete(self, request: Request) -> Response:
        """Whoever has signed on elsewhere goes on there, to end the session of that place too."""
        if request.auth is not None:
            run_change(request, lambda change: revoke_token(change, request.auth), lambda token: {})
        proof, there = signed_on(request._request), provider()
        logout(request._request)
        back = f"{settings.PUBLIC_URL}/"
        return Response({"continue_at": there.sign_out_address(proof, back) if proof and there else None})


class WaysView(APIView):
    permission_classes = (AllowAny,)

    @call("How can one sign in here?", responses=WaysSerializer)
    def get(self, request: Request) -> Response:
        """By name and password, by single sign-on, or both."""
        there = settings.SIGN_ON
        sign_on = {"title": there["title"], "address": BEGIN} if there else None
        return Response({"password": settings.LOCAL_SIGN_IN, "sign_on": sign_on})


class TerminalView(APIView):
    changes_registry = False

    @call("Let a terminal sign in as oneself", request=TerminalSerializer, responses=CodeForTerminalSerializer)
    def post(self, request: Request) -> Response:
        """A code that only the terminal which asks can turn into a token, once."""
        values, now = read_body(request, TerminalSerializer), SystemClock().now()
        code = terminal_code(request.user, values["name"], values["challenge"], now)
        return Response({"code": code, "good_until": now + GOOD_FOR})


class TerminalTokenView(APIView):
    permission_classes = (AllowAny,)
    changes_registry = False

    @call("Turn a code for a terminal into a token", request=VerifierSerializer, responses={201: TokenSerializer})
    def post(self, request: Request) -> Response:
        """The token's text is told once."""
        values = read_body(request, VerifierSerializer)
        token, text = token_for_code(values["code"], values["verifier"])
        token.text = text
        return Response(TokenSerializer(token).data, status=201)


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


class SecondFactorView(APIView):
    changes_registry = False
    before_second_factor = True

    @call("Set up a second factor: a secret for an authenticator", request=None, responses=SecretSerializer)
    def post(self, request: Request) -> Response:
        """It counts once a code of it is confirmed."""
        made = begin_second_factor(request.user)
        picture = segno.make(made.uri, error="m").svg_data_uri(scale=4, border=2)
        return Response({"secret": made.secret, "uri": made.uri, "picture": picture})


class ConfirmSecondFactorView(APIView):
    before_second_factor = True

    @call("Confirm a second factor", request=CodeSerializer, responses=answer_of(RecoverySerializer))
    def post(self, request: Request) -> Response:
        """From now on each sign-in needs a code. Recovery codes are told once."""
        code = read_body(request, CodeSerializer)["code"]

        def without_codes(answer: dict[str, Any]) -> dict[str, Any]:
            return answer | {"result": {"recovery": []}}

        return run_change(
            request,
            lambda change: confirm_second_factor(change, code),
            lambda codes: {"recovery": codes},
            kept=without_codes,
        )


class SecondFactorOffView(APIView):
    @call("Turn off one's second factor", request=CodeSerializer, responses=answer_of(PersonSerializer))
    def post(self, request: Request) -> Response:
        code = read_body(request, CodeSerializer)["code"]
        return run_change(
            request,
            lambda change: turn_off_second_factor(change, code),
            lambda person: PersonSerializer(person).data,
        )


class SessionViews(GenericViewSet):
    """Sessions of the console: one's own; an admin's calls reach everybody's."""

    versioned = False  # it is there, or it has ended
    serializer_class = OpenSessionSerializer
    queryset = OpenSession.objects.none()
    lookup_field = "ref"
    lookup_value_regex = r"[0-9]{1,18}"
    orders = {"newest": "-id", "oldest": "id"}

    @call("List sessions", query=SessionListQuery)
    def list(self, request: Request) -> Response:
        page = self.paginate_queryset(narrow(_sessions(request), asked(request), "person"))
        return self.get_paginated_response(self.get_serializer(page, many=True).data)

    @call("End a session", responses={200: answer_of(OpenSessionSerializer)})
    def destroy(self, request: Request, ref: str) -> Response:
        """Whoever has it must sign in again."""
        session = _sessions(request).filter(pk=int(ref)).first()
        if session is None:
            raise Http404
        shown = self.get_serializer(session).data
        return run_change(request, lambda change: end_session(change, session), lambda ended: shown)


def _sessions(request: Request) -> Any:
    """The sessions that the caller may know of."""
    rows = OpenSession.objects.select_related("person")
    return rows if request.user.may("admin") else rows.filter(person=request.user)


class MailView(APIView):
    @call("Set how oneself is told by mail", request=OwnMailSerializer, responses=answer_of(PersonSerializer))
    def post(self, request: Request) -> Response:
        """Where mail goes to, and whether at once, once a day, or never."""
        values = read_body(request, OwnMailSerializer)
        return run_change(
            request, lambda change: set_own_mail(change, values), lambda person: PersonSerializer(person).data
        )


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
            rows = rows.filter(Q(person=request.user) | Q(person__service_of__members=request.user))
        rows = narrow(rows, asked(request), "person", "role")
        if (usable := asked(request).get("usable")) is not None:
            over = Q(revoked_at__isnull=False) | Q(expires_at__lte=SystemClock().now())
            rows = rows.exclude(over) if usable else rows.filter(over)
        return self.get_paginated_response(self.get_serializer(self.paginate_queryset(rows), many=True).data)

    @call("Make a token", responses={201: answer_of(TokenSerializer)})
    def create(self, request: Request) -> Response:
        read = self.get_serializer(data=request.data)
        read.is_valid(raise_exception=True)

        def work(change: Any) -> tuple[Token, str]:
            values = dict(read.validated_data)
            person = values.pop("person", None) or request.user
            return add_token(change, person, **values)

        return self._made(request, work)

    @call(
        "Rotate a token: make its successor",
        scopes=("read",),
        request=RotateSerializer,
        responses={201: answer_of(TokenSerializer)},
    )
    @action(detail=True, methods=["post"])
    def rotate(self, request: Request, ref: str) -> Response:
        """Both live for a while, so that programs go over one by one. A token may rotate itself."""
        token, values, version = (
            _find_token(request, ref),
            read_body(request, RotateSerializer),
            read_version(request),
        )
        return self._made(
            request,
            lambda change: rotate_token(change, token, values["overlap_hours"], values["expires_at"], version),
        )

    def _made(self, request: Request, work: Callable[[Any], tuple[Token, str]]) -> Response:
        """The answer with a token that was made: its text is told once."""

        def told(made: tuple[Token, str]) -> Any:
            token, text = made
            token.text = text
            return self.get_serializer(token).data

        def without_text(answer: dict[str, Any]) -> dict[str, Any]:
            return answer | {"result": {**answer["result"], "text": None}}

        return run_change(request, work, told, 201, kept=without_text)

    @call("Revoke a token", responses={200: answer_of(TokenSerializer)})
    def destroy(self, request: Request, ref: str) -> Response:
        token, version = _find_token(request, ref), read_version(request)
        return run_change(
            request, lambda change: revoke_token(change, token, version), lambda t: self.get_serializer(t).data
        )


def _find_token(request: Request, ref: str) -> Token:
    """A token that the caller may know of: one's own, or of a service account of one's project; any by an admin."""
    token: Token = find_at_address(Token, ref, ("person",))
    if not manages_tokens_of(request.user, token.person) and not request.user.may("admin"):
        raise Http404
    return token
