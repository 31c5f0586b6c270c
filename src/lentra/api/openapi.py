"""What the OpenAPI document says of every call, beyond its own fields."""

from __future__ import annotations

from typing import Any

from drf_spectacular.extensions import OpenApiAuthenticationExtension
from drf_spectacular.openapi import AutoSchema
from drf_spectacular.utils import OpenApiParameter

from lentra.api.calls import CHANGING
from lentra.api.glossary import GLOSSARY
from lentra.tables.writing import MEDIA


class Described(AutoSchema):
    """Adds the parameters that all changing calls share, and the problem document of every call."""

    def get_override_parameters(self) -> list[Any]:
        parameters = super().get_override_parameters()
        if self.method in CHANGING and getattr(self.view, "changes_registry", True):
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
            if "{ref}" in self.path and getattr(self.view, "versioned", True):
                parameters.append(
                    OpenApiParameter(
                        "If-Match",
                        str,
                        OpenApiParameter.HEADER,
                        description="The ETag that was read; refused if the record has changed since.",
                    )
                )
        return parameters

    def get_operation_id(self) -> str:
        """As people would call it: listSubnets, showPool, subnetGrow, usageTogether."""
        parts = self.path.removeprefix("/api/v1/").split("/")
        if parts == ["estate"]:
            return {"GET": "writeEstate", "POST": "commitEstate"}[self.method]
        if parts == ["begin"]:
            return {"GET": "beginSteps", "POST": "beginning"}[self.method]
        if parts[0] == "session":
            return _OF_SESSION[self.method, parts[-1]]
        if parts[0] not in COLLECTIONS:
            return _camel("-".join(part for part in parts if part[0] != "{").replace(".json", ""))
        noun = _camel(COLLECTIONS[parts[0]])
        if len(parts) == 3:
            return noun + _pascal(parts[2])
        if parts == ["approval-rules", "try"]:
            return "tryApprovalRules"
        if len(parts) == 2 and parts[1][0] != "{":  # of the collection as a whole
            verb = "" if parts[0] == "findings" else "add-"
            return _camel(f"{verb}{parts[1]}-{parts[0]}")
        if parts[0] in _MADE_OTHERWISE and self.method == "POST":
            return _MADE_OTHERWISE[parts[0]]
        verb = {"GET": "show", "PATCH": "edit", "DELETE": "remove", "POST": "add"}[self.method]
        if len(parts) == 1 and self.method == "GET":
            return "list" + _pascal(parts[0])
        return verb + _pascal(COLLECTIONS[parts[0]])

    def get_tags(self) -> list[str]:
        return [self.path.split("/")[3]]

    def _get_response_bodies(self, direction: Any = "response") -> Any:
        bodies = super()._get_response_bodies(direction)
        changes = self.method in CHANGING and getattr(self.view, "changes_registry", True)
        if self.method == "POST" and "201" in bodies and changes:
            bodies["201"]["headers"] = _headers("Location")
            bodies["200"] = bodies["201"] | {"description": "What would be made: the answer to a preview."}
            bodies["200"].pop("headers")
        if any(
            parameter["name"] == "as" and "page" in parameter.get("description", "")
            for parameter in self._get_parameters()
        ):
            for media in MEDIA.values():
                bodies["200"]["content"][media.partition(";")[0]] = {"schema": {"type": "string"}}
        for status, body in bodies.items():
            names = ["X-Request-ID", *(["Idempotent-Replay"] if changes and self.method == "POST" else [])]
            names += ["ETag"] if "{ref}" in self.path and self.method in ("GET", "PATCH") else []
            body["headers"] = {**body.get("headers", {}), **_headers(*names)} if status != "204" else {}
        bodies["default"] = {
            "description": "A problem document (RFC 9457).",
            "headers": _headers("X-Request-ID", "Retry-After", "WWW-Authenticate"),
            "content": {
                "application/problem+json": {
                    "schema": {"$ref": "#/components/schemas/Problem"},
                    "examples": {name: {"$ref": f"#/components/examples/{name}"} for name in EXAMPLES_OF_PROBLEMS},
                }
            },
        }
        return bodies


COLLECTIONS = {  # in the address -> one of them
    "addresses": "address",
    "approval-rules": "approval-rule",
    "dns-entries": "dns-entry",
    "dns-records": "dns-record",
    "dns-zones": "dns-zone",
    "findings": "finding",
    "group-mappings": "group-mapping",
    "intakes": "intake",
    "links": "link",
    "keep-outs": "keep-out",
    "people": "person",
    "planned-needs": "planned-need",
    "quotas": "quota",
    "tag-ranges": "tag-range",
    "tag-members": "tag-member",
    "plans": "plan",
    "pools": "pool",
    "projects": "project",
    "realms": "realm",
    "regions": "region",
    "renumberings": "renumbering",
    "reservations": "reservation",
    "rule-sheets": "rule-sheet",
    "sessions": "session",
    "subnets": "subnet",
    "sightings": "sighting",
    "sources": "source",
    "surveys": "survey",
    "subscriptions": "subscription",
    "taking-rules": "taking-rule",
    "tiers": "tier",
    "tokens": "token",
    "waiting-requests": "waiting-request",
    "zones": "zone",
}
_MADE_OTHERWISE = {"subnets": "requestSubnets", "plans": "commitPlan"}
_OF_SESSION = {
    ("GET", "session"): "whoAmI",
    ("POST", "session"): "signIn",
    ("DELETE", "session"): "signOut",
    ("POST", "password"): "changePassword",
    ("POST", "mail"): "setOwnMail",
    ("GET", "ways"): "signInWays",
    ("POST", "terminal"): "letTerminalIn",
    ("POST", "token"): "signTerminalIn",
    ("POST", "second-factor"): "setUpSecondFactor",
    ("POST", "confirm"): "confirmSecondFactor",
    ("POST", "off"): "turnOffSecondFactor",
}
_HEADERS = {
    "ETag": "The record's edit version, for If-Match and If-None-Match.",
    "Idempotent-Replay": "true if this is the first answer again.",
    "Location": "The address of what was made, if it is one thing.",
    "Retry-After": "Seconds to wait, with 429 and 503.",
    "WWW-Authenticate": "How to sign in, with 401.",
    "X-Request-ID": "The request's id in the service's log.",
}
EXAMPLES_OF_PROBLEMS = {
    "NothingFree": {
        "value": {
            "type": "/api/docs/problems#exhausted",
            "status": 409,
            "code": "exhausted",
            "title": "No free space",
            "detail": "pool ticket-hall: no /20 is free: the largest free block is a /23",
            "field": "length",
            "received": "20",
            "suggestions": ["/23"],
        }
    },
    "UnknownParameter": {
        "value": {
            "type": "/api/docs/problems#unknown-field",
            "status": 400,
            "code": "unknown-field",
            "title": "Unknown field",
            "detail": "relam: there is no such parameter; known are realm, region, zone, project, order, limit, cursor",
            "field": "relam",
            "suggestions": ["realm"],
        }
    },
}
EXAMPLES_OF_BODIES = {
    "SubnetRequest": {"pool": "ticket-hall", "project": "ticketing", "tier": "app", "zone": "ml-1", "hosts": 180},
    "PoolRequest": {"name": "nc-3-general", "parent": "north-coast", "lengths": [{"family": 4, "length": 20}]},
    "ReservationRequest": {"name": "transit-1", "pool": "mainland", "length": 26, "reason": "links between sites"},
    "TokenRequest": {"name": "nightly-check", "role": "viewer"},
}


def _headers(*names: str) -> dict[str, Any]:
    return {name: {"description": _HEADERS[name], "schema": {"type": "string"}} for name in names}


def _camel(text: str) -> str:
    first, *rest = text.split("-")
    return first + "".join(word.capitalize() for word in rest)


def _pascal(text: str) -> str:
    return "".join(word.capitalize() for word in text.split("-"))


class BearerToken(OpenApiAuthenticationExtension):
    """Describes `TokenSignIn`."""

    target_class = "lentra.api.signing_in.TokenSignIn"
    name = "token"

    def get_security_definition(self, auto_schema: Any) -> dict[str, Any]:
        return {"type": "http", "scheme": "bearer"}


class TokenForPassword(OpenApiAuthenticationExtension):
    """Describes `TokenAsPassword`."""

    target_class = "lentra.api.signing_in.TokenAsPassword"
    name = "tokenAsPassword"

    def get_security_definition(self, auto_schema: Any) -> dict[str, Any]:
        return {"type": "http", "scheme": "basic"}


class SessionCookie(OpenApiAuthenticationExtension):
    """Describes `SessionSignIn`."""

    target_class = "lentra.api.signing_in.SessionSignIn"
    name = "session"

    def get_security_definition(self, auto_schema: Any) -> dict[str, Any]:
        return {"type": "apiKey", "in": "cookie", "name": "lentra_session"}


def complete(result: dict[str, Any], **_: Any) -> dict[str, Any]:
    """Adds the problem document, and what each property means (drf-spectacular's post-processing hook)."""
    from lentra.api.views.reference import problem_codes

    text = {"type": "string"}
    schemas = result["components"]["schemas"]
    result["components"]["examples"] = EXAMPLES_OF_PROBLEMS
    schemas["Problem"] = {
        "type": "object",
        "required": ["type", "status", "code", "title", "detail"],
        "properties": {
            "type": text,
            "status": {"type": "integer"},
            "code": text
            | {"description": "Stable: programs may rely on it.", "enum": [code for code, _ in problem_codes()]},
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
            "errors": {
                "type": "array",
                "items": {"type": "object", "additionalProperties": True},
                "description": "All inputs at fault, if there are several.",
            },
        },
    }
    for calls in result["paths"].values():
        for call in calls.values():
            if any(parameter["name"] == "preview" for parameter in call.get("parameters", [])):
                _take_proposal(call, schemas)
    for name, schema in schemas.items():
        if name in EXAMPLES_OF_BODIES:
            schema["examples"] = [EXAMPLES_OF_BODIES[name]]
        for word, property_ in schema.get("properties", {}).items():
            if "description" not in property_ and word in GLOSSARY:
                property_["description"] = GLOSSARY[word]
    result["servers"] = [{"url": "/", "description": "This service."}]
    result["tags"] = [{"name": tag} for tag in sorted(set(_tags(result)))]
    return result


def _take_proposal(call: dict[str, Any], schemas: dict[str, Any]) -> None:
    """Every changing call takes the token of its preview, also where it takes nothing else."""
    proposal = {"type": ["string", "null"], "maxLength": 1_000_000, "description": GLOSSARY["proposal"]}
    if "requestBody" in call:
        reference = call["requestBody"]["content"]["application/json"]["schema"]["$ref"]
        schemas[reference.rpartition("/")[2]].setdefault("properties", {}).setdefault("proposal", proposal)
        return
    about = "Nothing, or the token of a preview."
    schemas["ByProposal"] = {"type": "object", "properties": {"proposal": proposal}, "description": about}
    call["requestBody"] = {
        "content": {"application/json": {"schema": {"$ref": "#/components/schemas/ByProposal"}}}
    }


def _tags(result: dict[str, Any]) -> list[str]:
    return [tag for calls in result["paths"].values() for call in calls.values() for tag in call.get("tags", [])]
