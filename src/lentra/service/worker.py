"""The web server's worker: as gunicorn has it, but that it closes connections from the moment the service is to stop."""

from __future__ import annotations

from typing import Any

from gunicorn.workers.gthread import ThreadWorker

from lentra.service.draining import is_draining


class DrainingWorker(ThreadWorker):
    """Answers with ``Connection: close`` (RFC 9112, section 9.6) while the service drains."""

    def handle_request(self, req: Any, conn: Any) -> Any:
        """Answer one request of a connection."""
        if is_draining():
            req.force_close()
        return super().handle_request(req, conn)
