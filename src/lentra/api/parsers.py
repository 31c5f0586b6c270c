"""Reading bodies."""

from __future__ import annotations

from typing import Any

from rest_framework.exceptions import ParseError
from rest_framework.parsers import JSONParser


class Json(JSONParser):
    """JSON; a body nested too deeply to be read is refused like any other that is no JSON."""

    def parse(self, stream: Any, media_type: Any = None, parser_context: Any = None) -> Any:
        try:
            return super().parse(stream, media_type, parser_context)
        except RecursionError:
            raise ParseError("it is nested too deeply")
