"""Backups that are proven: `python -m lentra.service.backup write FILE` and `restore FILE`.

A backup is one consistent moment of the whole database as SQL, compressed (gzip, RFC 1952). It is taken while the service
goes on, and then restored into a scratch database, where everything that must hold is verified; only then does the file
get its name.
"""

from __future__ import annotations

import argparse
import gzip
import json
import os
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import IO, Any

import dj_database_url

from lentra.service.addresses import nodes_of
from lentra.service.database import CannotStart, OwnDatabase, any_free_port

_CHUNK = 1 << 20
_TELL_EVERY = 2.0  # seconds
_LAST_LINE = b"-- Dump completed"


def main(arguments: list[str] | None = None) -> int:
    """Write a backup and prove it, or restore one."""
    parser = argparse.ArgumentParser(prog="script/backup, script/restore")
    verbs = parser.add_subparsers(dest="verb", required=True)
    write = verbs.add_parser("write", help="write a backup and prove it")
    write.add_argument("file", type=Path)
    restore = verbs.add_parser("restore", help="restore a backup into an empty database")
    restore.add_argument("file", type=Path)
    restore.add_argument("--replace", action="store_true", help="throw away what is in the database now")
    options = parser.parse_args(arguments)
    os.umask(0o077)
    try:
        with _database() as url:
            if options.verb == "write":
                write_backup(url, options.file)
            else:
                restore_backup(url, options.file, options.replace)
    except CannotStart as reason:
        print(f"lentra: {reason}", file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        print("lentra: stopped; no backup was written", file=sys.stderr)
        return 130
    return 0


def write_backup(url: str, file: Path) -> None:
    """Write a backup of a database to a file, restore it elsewhere, and verify what is there.

    Raises:
        CannotStart: the file is there already, the database cannot be read, or the backup does not hold; no file is left.
    """
    if file.exists():
        raise CannotStart(f"{file} is there already: give another name")
    partial = file.with_name(file.name + ".partial")
    try:
        _dump(url, partial)
        with tempfile.TemporaryDirectory(prefix="lentra-proof-", dir=file.parent) as folder:
            scratch = OwnDatabase(Path(folder), any_free_port(), lasting=False)
            scratch.start()
            try:
                _load(scratch.url, partial, "Restoring it into a scratch database")
                told = _verified(scratch.url)
            finally:
                scratch.stop()
        partial.rename(file)
    finally:
        partial.unlink(missing_ok=True)
    print(f"{file}: {file.stat().st_size / 1e6:,.1f} MB; restored and verified: {told}")


def restore_backup(url: str, file: Path, replace: bool = False) -> None:
    """Restore a backup into a database, and verify what is there then.

    Raises:
        CannotStart: the file is no whole backup, or the database is not empty and `replace` was not said.
    """
    if not file.is_file():
        raise CannotStart(f"there is no file {file}")
    _refuse_torn(file)
    there = [row for row in _ask(url, "SHOW TABLES").splitlines() if row]
    if there and not replace:
        raise CannotStart(
            f"the database has {len(there)} tables: stop the service, and add --replace to throw away what is in it"
        )
    if there:
        drops = "".join(f"DROP TABLE IF EXISTS `{name}`;" for name in there)
        _ask(url, f"SET FOREIGN_KEY_CHECKS = 0; {drops}")
    _load(url, file, "Restoring")
    print(f"Restored and verified: {_verified(url)}")


@contextmanager
def _database() -> Iterator[str]:
    """The database's address: LENTRA_DATABASE_URL, or the one in the state folder, started if it does not run."""
    if url := os.environ.get("LENTRA_DATABASE_URL"):
        yield url
        return
    folder = Path(os.environ.get("LENTRA_STATE_DIR", ".lentra")).resolve()
    own = OwnDatabase(folder, int(os.environ.get("LENTRA_DB_PORT", "8461")))
    if own.runs():
        yield own.url
        return
    own.start()
    try:
        yield own.url
    finally:
        own.stop()


def _dump(url: str, file: Path) -> None:
    with _credentials(url) as (options, name), gzip.open(file, "wb", compresslevel=6) as out:
        command = [_program("mariadb-dump"), *options, "--single-transaction", "--quick", "--hex-blob", name]
        process = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE)
        assert process.stdout
        assert process.stderr
        _copy(process.stdout, out, "Writing")
        said = process.stderr.read().decode(errors="replace").strip()
        if process.wait():
            raise CannotStart(f"the database could not be read: {said[-300:]}")
    _refuse_torn(file)


def _load(url: str, file: Path, what: str) -> None:
    with _credentials(url) as (options, name), gzip.open(file, "rb") as source:
        command = [_program("mariadb"), *options, name]
        process = subprocess.Popen(command, stdin=subprocess.PIPE, stderr=subprocess.PIPE)
        assert process.stdin
        assert process.stderr
        try:
            _copy(source, process.stdin, what)
            process.stdin.close()
        except BrokenPipeError:
            pass  # what the program says tells more
        said = process.stderr.read().decode(errors="replace").strip()
        if process.wait():
            raise CannotStart(f"the backup could not be restored: {said[-300:]}")


def _copy(source: IO[bytes] | gzip.GzipFile, target: IO[bytes] | gzip.GzipFile, what: str) -> None:
    """Copy a stream, telling how far it is."""
    done, told = 0, time.monotonic()
    while chunk := source.read(_CHUNK):
        target.write(chunk)
        done += len(chunk)
        if time.monotonic() - told > _TELL_EVERY:
            told = time.monotonic()
            print(f"· {what}: {done / 1e6:,.0f} MB of SQL", flush=True)
    print(f"· {what}: {done / 1e6:,.1f} MB of SQL, done", flush=True)


def _refuse_torn(file: Path) -> None:
    """Refuse a file that ends too early, or is none of ours."""
    try:
        with gzip.open(file, "rb") as source:
            end = b""
            while chunk := source.read(_CHUNK):
                end = (end + chunk)[-400:]
    except (OSError, EOFError):
        end = b""
    if _LAST_LINE not in end:
        raise CannotStart(f"{file} is no whole backup: it is damaged, or ends too early")


def _verified(url: str) -> str:
    """Verify a database, by this version of the service.

    Raises:
        CannotStart: something does not hold, with the first of it.
    """
    environment = {
        **os.environ,
        "LENTRA_DATABASE_URL": url,
        "LENTRA_DATABASE_SECONDS": "3600",
        "DJANGO_SETTINGS_MODULE": "lentra.service.settings",
    }
    command = [sys.executable, "-m", "lentra.service.manage", "verify"]
    done = subprocess.run(command, env=environment, capture_output=True, text=True, check=False)
    if done.returncode not in (0, 1) or not done.stdout.strip():
        raise CannotStart(f"what was restored cannot be verified: {done.stderr.strip()[-300:]}")
    found: dict[str, Any] = json.loads(done.stdout)
    if not found["clean"]:
        first = found["offences"][0]
        raise CannotStart(
            f"{len(found['offences'])} things that must hold do not, in the database itself; the first: "
            f"{first['where']}: {first['what']}"
        )
    return ", ".join(f"{count:,} {what.replace('_', ' ')}" for what, count in found["checked"].items())


def _ask(url: str, statement: str) -> str:
    with _credentials(url) as (options, name):
        command = [_program("mariadb"), *options, "--skip-column-names", "--batch", name]
        done = subprocess.run(command, input=statement, capture_output=True, text=True, check=False)
    if done.returncode:
        raise CannotStart(f"the database cannot be reached: {done.stderr.strip()[-300:]}")
    return done.stdout


@contextmanager
def _credentials(url: str) -> Iterator[tuple[list[str], str]]:
    """Options that let MariaDB's programs in, with the password in a file that only its owner reads; and the database."""
    parts = dj_database_url.parse(nodes_of(url)[0])
    with tempfile.NamedTemporaryFile("w", prefix="lentra-", suffix=".cnf") as file:
        file.write(f'[client]\nuser="{parts["USER"]}"\npassword="{parts["PASSWORD"]}"\n')
        file.flush()
        options = [f"--defaults-file={file.name}", "--default-character-set=utf8mb4"]
        socket = parts.get("OPTIONS", {}).get("unix_socket")
        if socket:
            options.append(f"--socket={socket}")
        else:
            options += [f"--host={parts['HOST']}", f"--port={parts['PORT'] or 3306}", "--protocol=tcp"]
        yield options, str(parts["NAME"])


def _program(name: str) -> str:
    found = shutil.which(name)
    if found is None:
        raise CannotStart(f"{name} is missing: apt-get install mariadb-client")
    return found


if __name__ == "__main__":
    sys.exit(main())
