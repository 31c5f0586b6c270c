"""Starting and stopping the service with all that belongs to it: `python -m lentra.service.launcher demo`."""

from __future__ import annotations

import argparse
import json
import os
import secrets
import shutil
import signal
import socket
import subprocess
import sys
import time
import urllib.error
import urllib.request
from pathlib import Path
from types import FrameType

from lentra.service.database import CannotStart, OwnDatabase, die_with_parent, require_free_port

_READY_SECONDS = 60


class Service:
    """The web server's processes and upkeep, against a database.

    Args:
        folder: for the log.
        url: LENTRA_DATABASE_URL.
        port: on 127.0.0.1 unless `host` says otherwise.
        secret: signs sessions and proposals.
    """

    def __init__(
        self, folder: Path, url: str, port: int, secret: str, host: str = "127.0.0.1", workers: int = 2
    ) -> None:
        self.address = f"http://{host}:{port}"
        self.log = folder / "service.log"
        self.workers = workers
        self.port, self.host = port, host
        self.environment = {
            **os.environ,
            "LENTRA_DATABASE_URL": url,
            "LENTRA_SECRET_KEY": secret,
            "DJANGO_SETTINGS_MODULE": "lentra.service.settings",
            "PROMETHEUS_MULTIPROC_DIR": str(folder / f"metrics-{port}"),
        }
        self.counts = folder / f"metrics-{port}"
        self.alerts_log = folder / "alerts.log"
        self.processes: list[subprocess.Popen[bytes]] = []
        self.helpers: list[subprocess.Popen[bytes]] = []

    def manage(self, *command: str) -> None:
        """Run a management command to its end.

        Raises:
            CannotStart: it failed; its output is in the log.
        """
        self.counts.mkdir(parents=True, exist_ok=True)
        with self.log.open("ab") as log:
            done = subprocess.run(
                [sys.executable, "-m", "lentra.service.manage", *command],
                env=self.environment,
                stdout=log,
                stderr=log,
                check=False,
            )
        if done.returncode:
            raise CannotStart(f"{' '.join(command)} failed: see {self.log}")

    def start(self, upkeep: bool = True) -> None:
        """Start the web server and upkeep, and wait until the service is ready.

        Raises:
            CannotStart: the port is taken or the service does not come up.
        """
        require_free_port(self.port, "LENTRA_PORT")
        shutil.rmtree(self.counts, ignore_errors=True)  # counters begin anew with the service
        self.counts.mkdir(parents=True)
        server = [sys.executable, "-m", "gunicorn", "lentra.service.wsgi:application"]
        server += ["--bind", f"{self.host}:{self.port}", "--workers", str(self.workers)]
        server += ["--worker-class", "gthread", "--threads", "8", "--timeout", "30", "--keep-alive", "20"]
        server += ["--graceful-timeout", "20", "--no-control-socket"]
        self.processes.append(self._spawn(server))
        if upkeep:
            self.processes.append(self._spawn([sys.executable, "-m", "lentra.service.manage", "upkeep"]))
        end = time.monotonic() + _READY_SECONDS
        while time.monotonic() < end:
            if self.processes[0].poll() is not None:
                raise CannotStart(f"the service stopped while starting: see {self.log}")
            if self.is_ready():
                return
            time.sleep(0.1)
        self.stop()
        raise CannotStart(f"the service was not ready within {_READY_SECONDS} seconds: see {self.log}")

    def receive_alerts(self, receiver: Path) -> None:
        """Start a receiver of alerts on a port of its own, and send them there; what it takes is in alerts.log."""
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            port = probe.getsockname()[1]
        self.environment |= {
            "LENTRA_ALERT_URL": f"http://127.0.0.1:{port}/",
            "LENTRA_ALERT_SECRET": secrets.token_urlsafe(32),
        }
        self.helpers.append(self._spawn([sys.executable, str(receiver), str(port)], self.alerts_log))

    def is_ready(self) -> bool:
        """True if it can serve at this moment."""
        try:
            with urllib.request.urlopen(self.address + "/readyz", timeout=2) as answer:
                return answer.status == 200
        except (urllib.error.URLError, OSError):
            return False

    def stop(self) -> None:
        """Stop all processes, letting requests finish."""
        every = [*self.processes, *self.helpers]
        for process in every:
            if process.poll() is None:
                process.terminate()
        for process in every:
            try:
                process.wait(timeout=30)
            except subprocess.TimeoutExpired:
                process.kill()
                process.wait()
        self.processes.clear()
        self.helpers.clear()

    def _spawn(self, command: list[str], log: Path | None = None) -> subprocess.Popen[bytes]:
        with (log or self.log).open("ab") as output:
            return subprocess.Popen(
                command,
                env=self.environment,
                stdout=output,
                stderr=output,
                start_new_session=True,
                preexec_fn=die_with_parent,
            )


def main(arguments: list[str] | None = None) -> int:
    """Run the demo, or the service against a given database."""
    parser = argparse.ArgumentParser(prog="lentra.service.launcher")
    parser.add_argument("what", choices=["demo", "serve"])
    parser.add_argument("--reset", action="store_true", help="throw the demo's data away first, after asking")
    parser.add_argument("--yes", action="store_true", help="do not ask")
    parser.add_argument("--scenario", type=Path, help="folder of the demo's data files")
    options = parser.parse_args(arguments)
    signal.signal(signal.SIGTERM, _interrupt)
    signal.signal(signal.SIGINT, signal.default_int_handler)  # also where it was ignored from the start
    try:
        return _demo(options) if options.what == "demo" else _serve()
    except CannotStart as reason:
        print(f"lentra: {reason}", file=sys.stderr)
        return 1
    except OSError as reason:
        print(f"lentra: {reason.strerror}: {reason.filename}; nothing was lost", file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        return 130


def _demo(options: argparse.Namespace) -> int:
    folder = Path(os.environ.get("LENTRA_STATE_DIR", ".lentra")).resolve()
    port = _port("LENTRA_PORT", 8460)
    if options.reset and folder.exists():
        if not options.yes and not _asked(f"Throw away all demo data in {folder}?"):
            print("Nothing was changed.")
            return 1
        require_free_port(_port("LENTRA_DB_PORT", 8461), "LENTRA_DB_PORT")
        for name in ("mariadb", "database.json", "demo-sign-ins.json", "secret"):
            _remove(folder / name)
    database = OwnDatabase(folder, _port("LENTRA_DB_PORT", 8461))
    require_free_port(port, "LENTRA_PORT")
    service = None
    try:
        _say("Starting the database")
        database.start()
        service = Service(folder, database.url, port, _secret(folder))
        receiver = options.scenario / "receiver.py" if options.scenario else None
        if receiver and receiver.exists() and not os.environ.get("LENTRA_ALERT_URL"):
            service.receive_alerts(receiver)
        _say("Preparing its tables")
        service.manage("migrate", "--no-input")
        service.manage("ship_sheets")
        if not (folder / "demo-sign-ins.json").exists():
            _say("Loading the demo: the ferry operator's networks (some seconds)")
            service.manage("load_demo", str(options.scenario), str(folder / "demo-sign-ins.json"))
        _say("Starting the service")
        service.start()
        _welcome(service, folder)
        _wait(service, database)
        return 0
    finally:
        _say("Stopping; the data stays")
        if service:
            service.stop()
        database.stop()


def _serve() -> int:
    for name in ("LENTRA_DATABASE_URL", "LENTRA_SECRET_KEY"):
        if not os.environ.get(name):
            raise CannotStart(f"{name} is not set: see docs/operations.md")
    folder = Path(os.environ.get("LENTRA_STATE_DIR", ".lentra")).resolve()
    folder.mkdir(parents=True, exist_ok=True, mode=0o700)
    service = Service(
        folder,
        os.environ["LENTRA_DATABASE_URL"],
        _port("LENTRA_PORT", 8460),
        os.environ["LENTRA_SECRET_KEY"],
        os.environ.get("LENTRA_BIND", "127.0.0.1"),
        int(os.environ.get("LENTRA_WORKERS", "2")),
    )
    try:
        service.manage("migrate", "--no-input")
        service.manage("ship_sheets")
        service.start()
        print(f"Lentra serves at {service.address}; log: {service.log}", flush=True)
        _wait(service, None)
        return 0
    finally:
        service.stop()


def _wait(service: Service, database: OwnDatabase | None) -> None:
    """Until somebody interrupts, or a part stops by itself."""
    while True:
        if service.processes[0].poll() is not None:
            raise CannotStart(f"the web server stopped by itself: see {service.log}")
        if database and database.process and database.process.poll() is not None:
            raise CannotStart(f"the database stopped by itself: see {database.log}")
        time.sleep(0.5)


def _welcome(service: Service, folder: Path) -> None:
    people = json.loads((folder / "demo-sign-ins.json").read_text())
    print(f"\nLentra is at {service.address}\n")
    print(f"  {'role':10} {'name':8} password")
    for person in people:
        print(f"  {person['role']:10} {person['name']:8} {person['password']}")
    if service.helpers:
        print(f"\nAlerts are sent to a receiver of the demo, which writes them to {service.alerts_log}")
    print(f"\nTokens for the command line are in {folder / 'demo-sign-ins.json'}; Ctrl-C stops.\n", flush=True)


def _secret(folder: Path) -> str:
    path = folder / "secret"
    if not path.exists():
        with os.fdopen(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "w") as file:
            file.write(secrets.token_urlsafe(48))
    return path.read_text()


def _port(variable: str, otherwise: int) -> int:
    text = os.environ.get(variable, str(otherwise))
    if not text.isdigit() or not 1 <= int(text) <= 65535:
        raise CannotStart(f"{variable} is {text!r}: a port is a whole number from 1 to 65535")
    return int(text)


def _asked(question: str) -> bool:
    try:
        return input(f"{question} [y/N] ").strip().lower() in ("y", "yes")
    except EOFError:
        return False


def _remove(path: Path) -> None:
    if path.is_dir():
        shutil.rmtree(path)
    else:
        path.unlink(missing_ok=True)


def _say(text: str) -> None:
    print(f"· {text}", flush=True)


def _interrupt(signum: int, frame: FrameType | None) -> None:
    raise KeyboardInterrupt


if __name__ == "__main__":
    sys.exit(main())
