"""Reading bodies."""

from __future__ import annotations

from typing import Any

from rest_framework.exceptions import ParseError, ValidationError
from rest_framework.parsers import JSONParser

from lentra.addressing.texts import first_misleading

NOT_IN_TEXT = "{} cannot stand in a text: leave it out"


class Json(JSONParser):
    """JSON; a body nested too deeply, or with characters that no text may have, is refused."""

    def parse(self, stream: Any, media_type: Any = None, parser_context: Any = None) -> Any:
        try:
            body = super().parse(stream, media_type, parser_context)
            found = first_misleading(body)
        except RecursionError:
            raise ParseError("it is nested too deeply")
        if found:
            field, character = found
            raise ValidationError({field[:60] or "text": [NOT_IN_TEXT.format(character)]})
        return body
