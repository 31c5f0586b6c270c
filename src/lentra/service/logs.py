"""Structured logs: one JSON object a line, with the id of the request that it belongs to."""

from __future__ import annotations

import logging
from contextvars import ContextVar
from datetime import UTC, datetime
from typing import Any

from pythonjsonlogger.json import JsonFormatter

request_id: ContextVar[str] = ContextVar("request_id", default="")


class JsonLines(JsonFormatter):
    """A record as one line of JSON: when, how grave, who says it, what, in which request, and the trace of a fault."""

    def __init__(self) -> None:
        super().__init__(json_ensure_ascii=False)

    def add_fields(
        self, log_data: dict[str, Any], record: logging.LogRecord, message_dict: dict[str, Any]
    ) -> None:
        """What each line has."""
        log_data["at"] = datetime.fromtimestamp(record.created, UTC).isoformat(timespec="milliseconds")
        log_data["level"] = record.levelname.lower()
        log_data["logger"] = record.name
        log_data["message"] = record.getMessage()
        if request := request_id.get():
            log_data["request"] = request
        if record.exc_info:
            log_data["trace"] = self.formatException(record.exc_info)
