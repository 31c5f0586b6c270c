"""Starting and stopping the service with all that belongs to it: `python -m lentra.service.launcher demo`."""

from __future__ import annotations

import argparse
import base64
import contextlib
import json
import os
import secrets
import shutil
import signal
import subprocess
import sys
import time
import urllib.error
import urllib.request
import uuid
from collections.abc import Callable
from pathlib import Path
from types import FrameType
from typing import Any

from lentra.service.database import (
    CannotStart,
    OwnDatabase,
    any_free_port,
    die_with_parent,
    require_free_port,
    wait_for_free_port,
)
from lentra.service.draining import DRAINING

_READY_SECONDS = 60
_LET_GO_SECONDS = 5.0  # for what a web server that was killed has left behind on the port
_DRAIN_SECONDS = 1.5  # in which open connections are answered and closed before the web server stops
_WELL_AFTER = 60.0  # seconds that a process has run, after which it counts as well again
_LONGEST_PAUSE = 60.0
_THREADS = 44  # of a worker: more than work and wait at once, so that some are left to say that it lives
_UPKEEP_SECONDS = "900"  # for one statement: upkeep has time


class Watched:
    """A process that is started again when it ends, each time after a longer pause, until it has run well for a while."""

    def __init__(self, name: str, start: Callable[[], subprocess.Popen[bytes]]) -> None:
        self.name = name
        self._start = start
        self._pause = 1.0
        self._again_at: float | None = None
        self.process = start()
        self._since = time.monotonic()

    def look_after(self) -> None:
        """Start it again, if it has ended and its pause is over."""
        now = time.monotonic()
        if self.process.poll() is None:
            return
        if self._again_at is None:
            if now - self._since > _WELL_AFTER:
                self._pause = 1.0
            self._again_at = now + self._pause
            _say(f"{self.name} ended ({self.process.returncode}): it is started again in {self._pause:.0f} s")
            self._pause = min(self._pause * 2, _LONGEST_PAUSE)
        elif now >= self._again_at:
            self._again_at, self._since = None, now
            self.process = self._start()


def _kept(file: Path) -> dict[str, Any]:
    """The port and secret of a stand-in, the same each time."""
    if not file.exists():
        file.write_text(json.dumps({"port": any_free_port(), "secret": secrets.token_urlsafe(32)}))
    known: dict[str, Any] = json.loads(file.read_text())
    require_free_port(known["port"], f"another in {file}")
    return known


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
            DRAINING: str(folder / f"draining-{port}"),
            "LENTRA_UPKEEP_HOLDER": uuid.uuid4().hex,
        }
        self.environment.pop("LENTRA_ADMIN_PASSWORD", None)  # no process needs it any more
        self.draining = folder / f"draining-{port}"
        self.counts = folder / f"metrics-{port}"
        self.events_log = folder / "events.log"
        self.web: subprocess.Popen[bytes] | None = None
        self.helpers: list[Watched] = []

    def manage(self, *command: str) -> None:
        """Run a management command to its end.

        Raises:
            CannotStart: it failed; its output is in the log.
        """
        self.run("-m", "lentra.service.manage", *command)

    def run(self, *command: str) -> None:
        """Run a Python program of the service's to its end.

        Raises:
            CannotStart: it failed; its output is in the log.
        """
        self.counts.mkdir(parents=True, exist_ok=True)
        with self.log.open("ab") as log:
            done = subprocess.run(
                [sys.executable, *command],
                env=self.environment | {"LENTRA_DATABASE_SECONDS": _UPKEEP_SECONDS},
                stdout=log,
                stderr=log,
                check=False,
            )
        if done.returncode:
            words = " ".join(command).removeprefix("-m lentra.service.manage ")
            raise CannotStart(f"{words} failed: see {self.log}")

    def start(self, upkeep: bool = True) -> None:
        """Start the web server and upkeep, and wait until the service is ready.

        Raises:
            CannotStart: the port is taken or the service does not come up.
        """
        wait_for_free_port(self.port, "LENTRA_PORT", _LET_GO_SECONDS)
        self.draining.unlink(missing_ok=True)
        shutil.rmtree(self.counts, ignore_errors=True)  # counters begin anew with the service
        self.counts.mkdir(parents=True)
        server = [sys.executable, "-m", "gunicorn", "lentra.service.wsgi:application"]
        server += ["--bind", f"{self.host}:{self.port}", "--workers", str(self.workers)]
        server += ["--worker-class", "lentra.service.worker.DrainingWorker", "--threads", str(_THREADS)]
        server += ["--timeout", "60", "--keep-alive", "20"]
        server += ["--graceful-timeout", "20", "--no-control-socket"]
        self.web = self._spawn(server)
        if upkeep:
            for name in ("upkeep", "intakes", "events", "surveys", "names"):
                self.watch(name, [sys.executable, "-m", "lentra.service.manage", name])
        end = time.monotonic() + _READY_SECONDS
        while time.monotonic() < end:
            if self.web.poll() is not None:
                raise CannotStart(f"the service stopped while starting: see {self.log}")
            if self.is_ready():
                return
            time.sleep(0.1)
        self.stop()
        raise CannotStart(f"the service was not ready within {_READY_SECONDS} seconds: see {self.log}")

    def tell_receiver(self, name: str, kind: str, about: str) -> None:
        """Have changes of a kind of record sent to the receiver as well, from now on."""
        self.manage("events", "--once")  # what has been committed has its place, and is not sent
        self.manage(
            "keep_subscription", name, self.environment["LENTRA_ALERT_URL"], "--kind", kind, "--about", about
        )

    def receive_events(self, receiver: Path) -> None:
        """Start a receiver of events on a port of its own, and send alerts there; what it takes is in events.log."""
        port = any_free_port()
        self.environment |= {
            "LENTRA_ALERT_URL": f"http://127.0.0.1:{port}/",
            "LENTRA_ALERT_SECRET": secrets.token_urlsafe(32),
        }
        self.watch("the receiver of events", [sys.executable, str(receiver), str(port)], self.events_log)

    def receive_mail(self, receiver: Path, mails: Path) -> None:
        """Start a receiver of mail on a port of its own, and send what people are told there; it keeps that in a folder."""
        port = any_free_port()
        self.environment |= {
            "LENTRA_MAIL_URL": f"smtp://127.0.0.1:{port}",
            "LENTRA_MAIL_FROM": "Lentra <lentra@ferry.example>",
        }
        self.watch(
            "the receiver of mail",
            [sys.executable, str(receiver), str(port), str(mails)],
            mails.with_suffix(".log"),
        )

    def sign_on_by(self, stand_in: Path, kept: Path) -> None:
        """Start an identity provider on a port of its own, and let people sign on by it; it is the same each time."""
        known = _kept(kept)
        self.environment |= {
            "LENTRA_SIGN_ON_ISSUER": f"http://127.0.0.1:{known['port']}",
            "LENTRA_SIGN_ON_CLIENT": "lentra",
            "LENTRA_SIGN_ON_SECRET": known["secret"],
            "LENTRA_SIGN_ON_TITLE": "Ferry staff sign-in",
        }
        answers_at = f"{self.environment['LENTRA_PUBLIC_URL']}/sign-on/answer"
        command = [sys.executable, str(stand_in), str(known["port"]), "lentra", known["secret"], answers_at]
        self.watch("the identity provider", command)

    def survey_at(self, stand_in: Path, kept: Path) -> None:
        """Start a provider with an inventory on a port of its own, for a source to ask; it is the same each time."""
        known = _kept(kept)
        self.environment |= {
            "LENTRA_DEMO_PROVIDER": f"http://127.0.0.1:{known['port']}",
            "LENTRA_DEMO_PROVIDER_TOKEN": known["secret"],
            "LENTRA_SOURCE_HOSTS": f"127.0.0.1:{known['port']}",
        }
        command = [sys.executable, str(stand_in), str(known["port"]), known["secret"]]
        self.watch("the provider", [*command, str(stand_in.with_suffix(".json"))])

    def name_server_at(self, stand_in: Path, kept: Path, named: str) -> None:
        """Start BIND on a port of its own, for DNS zones to be pushed to; it is the same each time."""
        known = _kept(kept)
        key = f"lentra:hmac-sha256:{base64.b64encode(known['secret'].encode()).decode()}"
        self.environment |= {
            "LENTRA_DEMO_NAME_SERVER": f"127.0.0.1:{known['port']}",
            "LENTRA_DEMO_NAME_SERVER_KEY": key,
            "LENTRA_NAME_SERVER_HOSTS": f"127.0.0.1:{known['port']}",
        }
        folder = kept.with_suffix("")
        command = [sys.executable, str(stand_in), named, str(folder), str(known["port"]), key]
        self.watch("the name server", command, folder.with_suffix(".log"))

    def is_ready(self) -> bool:
        """True if it can serve at this moment."""
        try:
            with urllib.request.urlopen(self.address + "/readyz", timeout=2) as answer:
                return answer.status == 200
        except (urllib.error.URLError, OSError):
            return False

    def watch(self, name: str, command: list[str], log: Path | None = None) -> None:
        """Start a helper that is started again whenever it ends."""
        more = {"LENTRA_DATABASE_SECONDS": _UPKEEP_SECONDS}
        self.helpers.append(Watched(name, lambda: self._spawn(command, log, more)))

    def look_after(self) -> None:
        """Start helpers that have ended again.

        Raises:
            CannotStart: the web server has stopped by itself.
        """
        if self.web and self.web.poll() is not None:
            raise CannotStart(f"the web server stopped by itself: see {self.log}")
        for helper in self.helpers:
            helper.look_after()

    def stop(self) -> None:
        """Stop all processes: open connections are answered and closed first, and requests in progress finished."""
        if self.web and self.web.poll() is None:
            self.draining.touch()
            time.sleep(_DRAIN_SECONDS)
        every = [process for process in (self.web, *(helper.process for helper in self.helpers)) if process]
        for process in every:
            if process.poll() is None:
                process.terminate()
        for process in every:
            try:
                process.wait(timeout=30)
            except subprocess.TimeoutExpired:
                process.kill()
                process.wait()
        if self.web:
            _kill_group(self.web.pid)
        self.web = None
        self.helpers.clear()
        self.draining.unlink(missing_ok=True)

    def _spawn(
        self, command: list[str], log: Path | None = None, more: dict[str, str] | None = None
    ) -> subprocess.Popen[bytes]:
        with (log or self.log).open("ab") as output:
            return subprocess.Popen(
                command,
                env=self.environment | (more or {}),
                stdout=output,
                stderr=output,
                start_new_session=True,
                preexec_fn=die_with_parent,
            )


def _kill_group(leader: int) -> None:
    """Kill what a process that was killed has left behind: workers without their web server keep its port for long."""
    with contextlib.suppress(ProcessLookupError):
        os.killpg(leader, signal.SIGKILL)


def main(arguments: list[str] | None = None) -> int:
    """Run the demo, or the service against a given database."""
    parser = argparse.ArgumentParser(prog="lentra.service.launcher")
    parser.add_argument("what", choices=["demo", "serve"])
    parser.add_argument("--reset", action="store_true", help="throw the demo's data away first, after asking")
    parser.add_argument("--yes", action="store_true", help="do not ask")
    parser.add_argument("--scenario", type=Path, help="folder of the demo's data files")
    options = parser.parse_args(arguments)
    os.umask(0o077)  # whatever is written is its owner's alone
    signal.signal(signal.SIGTERM, interrupt)
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
    folder = _state_folder()
    port = _port("LENTRA_PORT", 8460)
    if options.reset and folder.exists():
        if not options.yes and not _asked(f"Throw away all demo data in {folder}?"):
            print("Nothing was changed.")
            return 1
        require_free_port(_port("LENTRA_DB_PORT", 8461), "LENTRA_DB_PORT")
        for name in (
            "mariadb",
            "mails",
            "database.json",
            "demo-sign-ins.json",
            "sign-on.json",
            "provider.json",
            "name-server.json",
            "name-server",
            "secret",
        ):
            _remove(folder / name)
    database = OwnDatabase(folder, _port("LENTRA_DB_PORT", 8461))
    require_free_port(port, "LENTRA_PORT")
    service = None
    try:
        _say("Starting the database")
        database.start()
        service = Service(folder, database.url, port, _secret(folder))
        service.environment.setdefault("LENTRA_METRICS_OPEN", "1")  # made-up data, on loopback
        service.environment.setdefault("LENTRA_PUBLIC_URL", service.address)
        receiver = options.scenario / "receiver.py" if options.scenario else None
        receives = bool(receiver and receiver.exists() and not os.environ.get("LENTRA_ALERT_URL"))
        if receiver and receives:
            service.receive_events(receiver)
        postman = options.scenario / "mail_receiver.py" if options.scenario else None
        if postman and postman.exists() and not os.environ.get("LENTRA_MAIL_URL"):
            service.receive_mail(postman, folder / "mails")
        stand_in = options.scenario / "sign_on_provider.py" if options.scenario else None
        if stand_in and stand_in.exists() and not os.environ.get("LENTRA_SIGN_ON_ISSUER"):
            service.sign_on_by(stand_in, folder / "sign-on.json")
        provider = options.scenario / "provider.py" if options.scenario else None
        if provider and provider.exists():
            service.survey_at(provider, folder / "provider.json")
        _start_name_server(service, options.scenario, folder)
        _say("Preparing its tables")
        service.manage("prepare")
        if not (folder / "demo-sign-ins.json").exists():
            _say("Loading the demo: the ferry operator's networks (about a minute)")
            service.run(
                str(options.scenario / "load.py"), str(options.scenario), str(folder / "demo-sign-ins.json")
            )
        if receives:
            service.tell_receiver("harbour-board", "subnet", "what becomes of subnets, for the harbour office")
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


def _start_name_server(service: Service, scenario: Path | None, folder: Path) -> None:
    """BIND for the demo's DNS zones, if it is there; without it, they are written as files."""
    stand_in = scenario / "name_server.py" if scenario else None
    named = shutil.which("named", path=f"{os.environ.get('LENTRA_TRANSFERS', '')}:/usr/sbin")
    if stand_in and stand_in.exists() and named:
        service.name_server_at(stand_in, folder / "name-server.json", named)


def _serve() -> int:
    """The service against the database that LENTRA_DATABASE_URL names, or against one of its own in the state folder."""
    folder = _state_folder()
    port = _port("LENTRA_PORT", 8460)
    host = os.environ.get("LENTRA_BIND", "127.0.0.1")
    workers = os.environ.get("LENTRA_WORKERS", "2")
    if not workers.isdigit() or not 1 <= int(workers) <= 64:
        raise CannotStart(f"LENTRA_WORKERS is {workers!r}: a whole number from 1 to 64")
    database, service = None, None
    try:
        url = os.environ.get("LENTRA_DATABASE_URL", "")
        if not url:
            _say(f"Starting the database of its own, in {folder}")
            database = OwnDatabase(folder, _port("LENTRA_DB_PORT", 8461))
            database.start()
            url = database.url
        secret = os.environ.get("LENTRA_SECRET_KEY", "")
        if not secret and not database:
            raise CannotStart("LENTRA_SECRET_KEY is not set: see docs/operations.md")
        service = Service(folder, url, port, secret or _secret(folder), host, int(workers))
        _say("Preparing its tables")
        service.manage("prepare")
        _first_admin(service)
        service.start()
        print(f"Lentra serves at {service.address}; log: {service.log}", flush=True)
        if host not in ("127.0.0.1", "::1", "localhost"):
            _say(
                "LENTRA_BIND is not loopback: put a proxy in front that speaks TLS and reads requests whole "
                "(docs/operations.md), or slow clients stop the service"
            )
        _wait(service, database)
        return 0
    finally:
        if service:
            service.stop()
        if database:
            database.stop()


def _first_admin(service: Service) -> None:
    """Where nobody is known yet: an admin from LENTRA_ADMIN and LENTRA_ADMIN_PASSWORD, or asked for on a terminal."""
    asking = [sys.executable, "-m", "lentra.service.manage", "add_admin"]
    environment = service.environment
    known = subprocess.run([*asking, "--look"], env=environment, capture_output=True, check=False)
    if known.returncode == 0:
        return
    name = os.environ.get("LENTRA_ADMIN", "")
    if name:
        password = os.environ.get("LENTRA_ADMIN_PASSWORD", "")
        done = subprocess.run([*asking, name], env=environment, input=f"{password}\n".encode(), check=False)
    elif sys.stdin.isatty():
        name = input("Nobody is known here yet. Name of the first admin: ").strip()
        done = subprocess.run([*asking, name], env=environment, check=False)
    else:
        _say(
            "nobody is known here yet: add the first admin with lentra-service add_admin NAME, or set LENTRA_ADMIN"
        )
        return
    if done.returncode:
        raise CannotStart("the first admin was not added")


def _wait(service: Service, database: OwnDatabase | None) -> None:
    """Until somebody interrupts, or a part stops by itself that cannot be started again here."""
    while True:
        service.look_after()
        if database and database.process and database.process.poll() is not None:
            raise CannotStart(f"the database stopped by itself: see {database.log}")
        time.sleep(0.5)


def _state_folder() -> Path:
    """The folder that everything is kept in, which is its owner's alone, as are the logs in it."""
    folder = Path(os.environ.get("LENTRA_STATE_DIR", ".lentra")).resolve()
    folder.mkdir(parents=True, exist_ok=True, mode=0o700)
    folder.chmod(0o700)
    for log in folder.glob("*.log"):
        log.chmod(0o600)
    return folder


def _welcome(service: Service, folder: Path) -> None:
    people = json.loads((folder / "demo-sign-ins.json").read_text())
    print(f"\nLentra is at {service.address}\n")
    print(f"  {'role':10} {'name':8} password")
    for person in people:
        print(f"  {person['role']:10} {person['name']:8} {person['password']}")
    if service.helpers:
        print(
            f"\nChanges and alerts are sent to a receiver of the demo, which writes them to {service.events_log};\n"
            f"mail goes to another one, which keeps it in {folder / 'mails' / 'mails.txt'}"
        )
    if server := service.environment.get("LENTRA_DEMO_NAME_SERVER"):
        host, _, port = server.partition(":")
        print(f"\nBIND serves the fleet's DNS zones: dig @{host} -p {port} ferry.example ANY")
    if title := service.environment.get("LENTRA_SIGN_ON_TITLE"):
        print(
            f'\nFour more people come by "{title}", a stand-in of the demo for single sign-on, without passwords.'
        )
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


def interrupt(signum: int, frame: FrameType | None) -> None:
    """A signal to stop counts as Ctrl-C."""
    raise KeyboardInterrupt


if __name__ == "__main__":
    sys.exit(main())
