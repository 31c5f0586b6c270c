"""What the OpenAPI document says of every call, beyond its own fields."""

from __future__ import annotations

from typing import Any

from drf_spectacular.extensions import OpenApiAuthenticationExtension
from drf_spectacular.openapi import AutoSchema
from drf_spectacular.utils import OpenApiParameter

_CHANGING = ("POST", "PATCH", "DELETE")


class Described(AutoSchema):
    """Adds the parameters that all changing calls share, and the problem document of every call."""

    def get_override_parameters(self) -> list[Any]:
        parameters = super().get_override_parameters()
        if self.method in _CHANGING and getattr(self.view, "changes_registry", True):
            parameters = [
                *parameters,
                OpenApiParameter("preview", bool, description="Answer with what would be done; change nothing."),
                OpenApiParameter("why", str, description="The reason, for the ledger."),
            ]
            if self.method == "POST":
                parameters.append(
                    OpenApiParameter(
                        "Idempotency-Key",
                        str,
                        OpenApiParameter.HEADER,
                        description="The same key within 24 hours gives the first answer again.",
                    )
                )
            else:
                parameters.append(
                    OpenApiParameter(
                        "If-Match",
                        str,
                        OpenApiParameter.HEADER,
                        description="The ETag that was read; refused if the record has changed since.",
                    )
                )
        return parameters

    def get_tags(self) -> list[str]:
        return [self.path.split("/")[3]]

    def _get_response_bodies(self, direction: Any = "response") -> Any:
        bodies = super()._get_response_bodies(direction)
        if self.method == "POST" and "201" in bodies and getattr(self.view, "changes_registry", True):
            bodies["200"] = bodies["201"] | {"description": "What would be made: the answer to a preview."}
        bodies["default"] = {
            "description": "A problem document (RFC 9457).",
            "content": {"application/problem+json": {"schema": {"$ref": "#/components/schemas/Problem"}}},
        }
        return bodies


class BearerToken(OpenApiAuthenticationExtension):
    """Describes `TokenSignIn`."""

    target_class = "lentra.api.signing_in.TokenSignIn"
    name = "token"

    def get_security_definition(self, auto_schema: Any) -> dict[str, Any]:
        return {"type": "http", "scheme": "bearer"}


class SessionCookie(OpenApiAuthenticationExtension):
    """Describes `SessionSignIn`."""

    target_class = "lentra.api.signing_in.SessionSignIn"
    name = "session"

    def get_security_definition(self, auto_schema: Any) -> dict[str, Any]:
        return {"type": "apiKey", "in": "cookie", "name": "lentra_session"}


def add_problem_schema(result: dict[str, Any], **_: Any) -> dict[str, Any]:
    """Adds the problem document to the schemas (drf-spectacular's post-processing hook)."""
    text = {"type": "string"}
    result["components"]["schemas"]["Problem"] = {
        "type": "object",
        "required": ["type", "status", "code", "title", "detail"],
        "properties": {
            "type": text,
            "status": {"type": "integer"},
            "code": text | {"description": "Stable: programs may rely on it."},
            "title": text,
            "detail": text,
            "field": text | {"description": "The input at fault."},
            "received": text,
            "rule": text | {"description": "The rule that says no."},
            "conflicts": {
                "type": "array",
                "items": {"type": "object", "additionalProperties": True},
                "description": "What stands in the way: range, owner, zone, tier, state, addresses shared.",
            },
            "suggestions": {"type": "array", "items": text, "description": "Values that would be accepted."},
            "errors": {"type": "array", "items": {"type": "object", "additionalProperties": True}},
        },
    }
    return result
