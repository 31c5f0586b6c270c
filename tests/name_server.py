"""BIND on loopback for tests: with DNS zones that are empty, and take updates from whoever has the key."""

from __future__ import annotations

import base64
import os
import shutil
import signal
import subprocess
import sys
from pathlib import Path

import dns.message
import dns.name
import dns.query
import dns.update

from lentra.name_servers import signed
from lentra.service.database import any_free_port

ROOT = Path(__file__).parent.parent
NAMED = shutil.which("named", path=f"{ROOT / '.transfers'}:/usr/sbin")
KEY = f"lentra:hmac-sha256:{base64.b64encode(b'a key for tests alone').decode()}"


class NameServer:
    """One BIND. What it has been told it knows again when it is started again."""

    def __init__(self, folder: Path, *zones: str) -> None:
        self.folder, self.zones, self.port = folder, zones, any_free_port()
        self.address = f"127.0.0.1:{self.port}"
        self.start()

    def start(self) -> None:
        assert NAMED
        command = [
            sys.executable,
            str(ROOT / "demo" / "name_server.py"),
            NAMED,
            str(self.folder),
            str(self.port),
            KEY,
        ]
        self._process = subprocess.Popen([*command, *self.zones], stderr=subprocess.DEVNULL)

    def stop(self, how: int = signal.SIGTERM) -> None:
        self._process.send_signal(how)
        self._process.wait()

    def dig(self, *what: str) -> list[str]:
        """What `dig` answers in short, sorted."""
        command = ["dig", "+short", "+time=1", "+tries=1", "@127.0.0.1", "-p", str(self.port), *what]
        told = subprocess.run(command, capture_output=True, text=True, check=False).stdout
        return sorted(line for line in told.splitlines() if not line.startswith(";"))

    def changed_by_hand(self, zone: str, owner: str, kind: str, data: str | None) -> None:
        """Put something in the place of what stands there, as somebody would; nothing for None."""
        message = dns.update.UpdateMessage(dns.name.from_text(zone), **signed(KEY))
        message.delete(owner, kind)
        if data is not None:
            message.add(owner, 60, kind, data)
        assert dns.query.tcp(message, "127.0.0.1", port=self.port, timeout=5).rcode() == 0


missing = NAMED is None or not os.access(NAMED, os.X_OK) or not shutil.which("dig")
