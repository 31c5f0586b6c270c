"""Three nodes, three services and a proxy on loopback, with the demo's data: to try a cluster, and to test against.

    python -m lentra.service.cluster --scenario demo

Needs galera-4, haproxy, rsync and the transfer scripts of Debian's mariadb-server (`script/cluster` sees to all of it).
"""

from __future__ import annotations

import argparse
import json
import os
import shutil
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from lentra.service.database import CannotStart, OwnDatabase, any_free_port, die_with_parent
from lentra.service.launcher import Service, interrupt

_PROVIDER = "/usr/lib/galera/libgalera_smm.so"
_SYNCED_SECONDS = 120


class Node(OwnDatabase):
    """One node of a cluster: a MariaDB with a data folder of its own, which joins its peers."""

    def __init__(self, folder: Path, port: int, group_port: int, transfers: Path) -> None:
        super().__init__(folder, port)
        self.group_port = group_port
        self.transfers = transfers  # folder with the transfer scripts
        self.state_port, self.steps_port = any_free_port(), any_free_port()
        self.peers: list[Node] = []

    def join(self) -> None:
        """Start and join the peers that run; the first of all begins the cluster.

        Raises:
            CannotStart: it does not come up, or is not in step with the others in time.
        """
        self.launch()
        end = time.monotonic() + _SYNCED_SECONDS
        while time.monotonic() < end:
            if self.is_synced():
                return
            time.sleep(0.3)
        raise CannotStart(f"the node is not in step with the others: see {self.log}")

    def is_synced(self) -> bool:
        """True if it has all that the others have, and they are the larger part."""
        try:
            return self.status("wsrep_local_state_comment") == "Synced" and self.status("wsrep_ready") == "ON"
        except Exception:  # it does not answer yet
            return False

    def status(self, name: str) -> str:
        """One of the node's status values."""
        connection = self.root_connection()
        try:
            cursor = connection.cursor()
            cursor.execute("SHOW STATUS LIKE %s", [name])
            return str((cursor.fetchone() or ("", ""))[1])
        finally:
            connection.close()

    def isolate(self, isolated: bool) -> None:
        """Cut it off from its peers, as a network that is down would, or connect it again."""
        connection = self.root_connection()
        connection.cursor().execute(f"SET GLOBAL wsrep_provider_options = 'gmcast.isolate={int(isolated)}'")
        connection.close()

    def command(self) -> list[str]:
        """How the server is started."""
        running = [peer for peer in self.peers if peer.process and peer.process.poll() is None]
        group = ",".join(f"127.0.0.1:{peer.group_port}" for peer in running)
        options = f"gmcast.listen_addr=tcp://127.0.0.1:{self.group_port};ist.recv_addr=127.0.0.1:{self.steps_port}"
        return [
            *super().command(),
            "--binlog-format=ROW",
            "--innodb-autoinc-lock-mode=2",
            "--wsrep-on=ON",
            f"--wsrep-provider={_PROVIDER}",
            "--wsrep-cluster-name=lentra",
            f"--wsrep-cluster-address=gcomm://{group}",
            f"--wsrep-node-name={self.folder.name}",
            "--wsrep-node-address=127.0.0.1",
            f"--wsrep-node-incoming-address=127.0.0.1:{self.port}",
            "--wsrep-sst-method=rsync",
            f"--wsrep-sst-receive-address=127.0.0.1:{self.state_port}",
            f"--wsrep-provider-options={options};gcache.size=128M",
        ]

    def environment(self) -> dict[str, str]:
        """With the transfer scripts in the path."""
        given = super().environment()
        return given | {"PATH": f"{self.transfers}:{given['PATH']}"}


class Cluster:
    """Three nodes, a service beside each, and a proxy before them.

    Args:
        folder: everything is kept there.
        data: a database with Lentra's tables, stopped: its folder is copied to the first node, and from there to the others.
        secret: the same for all services.
    """

    def __init__(self, folder: Path, data: Path, transfers: Path, secret: str, workers: int = 1) -> None:
        self.folder = folder
        self.nodes = [Node(folder / f"node-{n}", any_free_port(), any_free_port(), transfers) for n in (1, 2, 3)]
        for node in self.nodes:
            node.peers = [peer for peer in self.nodes if peer is not node]
            node.folder.mkdir(parents=True, mode=0o700)
            shutil.copy(data / "database.json", node.secrets)
            node.data.mkdir(mode=0o700)
        shutil.copytree(data / "mariadb", self.nodes[0].data, dirs_exist_ok=True)
        self.services = [self._service(n, secret, workers) for n in range(3)]
        self.port = any_free_port()
        self.address = f"http://127.0.0.1:{self.port}"
        self._proxy: subprocess.Popen[bytes] | None = None

    def start(self) -> None:
        """Start the nodes one after the other, then the services, then the proxy.

        Raises:
            CannotStart: something is missing or does not come up.
        """
        if not Path(_PROVIDER).exists():
            raise CannotStart("galera-4 is missing: apt-get install galera-4")
        for node in self.nodes:
            node.join()
        for service in self.services:
            service.start()
        self._start_proxy()

    def stop(self) -> None:
        """Stop everything in order."""
        if self._proxy and self._proxy.poll() is None:
            self._proxy.terminate()
            self._proxy.wait()
        for service in self.services:
            service.stop()
        for node in reversed(self.nodes):
            node.stop()

    def is_whole(self) -> bool:
        """True if every node is in step with all others: only then may one be taken away."""
        try:
            sizes = {node.status("wsrep_cluster_size") for node in self.nodes}
        except Exception:  # one does not answer
            return False
        return sizes == {str(len(self.nodes))} and all(node.is_synced() for node in self.nodes)

    def look_after(self) -> None:
        """Start helpers of the services that have ended again."""
        for service in self.services:
            service.look_after()

    def _service(self, n: int, secret: str, workers: int) -> Service:
        """A service that begins with its own node and goes on with the others."""
        password = json.loads(self.nodes[n].secrets.read_text())["password"]
        order = [*self.nodes[n:], *self.nodes[:n]]
        hosts = ",".join(f"127.0.0.1:{node.port}" for node in order)
        folder = self.folder / f"service-{n + 1}"
        folder.mkdir(parents=True, mode=0o700)
        return Service(
            folder, f"mysql://lentra:{password}@{hosts}/lentra", any_free_port(), secret, workers=workers
        )

    def _start_proxy(self) -> None:
        servers = "\n".join(
            f"    server service-{n} 127.0.0.1:{service.port} check inter 1s fall 2 rise 1"
            for n, service in enumerate(self.services, 1)
        )
        settings = self.folder / "haproxy.cfg"
        settings.write_text(
            "global\n    log stdout format raw local0 warning\n"
            "defaults\n    mode http\n    option http-buffer-request\n    option redispatch\n    retries 2\n"
            "    timeout connect 3s\n    timeout client 30s\n    timeout server 60s\n    timeout http-request 10s\n"
            f"frontend lentra\n    bind 127.0.0.1:{self.port}\n    default_backend services\n"
            f"backend services\n    balance roundrobin\n    option httpchk GET /readyz\n{servers}\n"
        )
        program = shutil.which("haproxy") or shutil.which("haproxy", path="/usr/sbin")
        if program is None:
            raise CannotStart("haproxy is missing: apt-get install haproxy")
        with (self.folder / "haproxy.log").open("ab") as log:
            self._proxy = subprocess.Popen(
                [program, "-f", str(settings), "-db"], stdout=log, stderr=log, preexec_fn=die_with_parent
            )


def main(arguments: list[str] | None = None) -> int:
    """Start a cluster with the demo's data, and keep it up until somebody interrupts."""
    parser = argparse.ArgumentParser(prog="script/cluster")
    parser.add_argument("--scenario", type=Path, required=True, help="folder of the demo's data files")
    parser.add_argument("--transfers", type=Path, required=True, help="folder with MariaDB's transfer scripts")
    options = parser.parse_args(arguments)
    os.umask(0o077)
    signal.signal(signal.SIGTERM, interrupt)
    folder = Path(os.environ.get("LENTRA_STATE_DIR", ".lentra")).resolve() / "cluster"
    try:
        with demo_data(folder, options.scenario) as data:
            cluster = Cluster(
                folder / "now", data, options.transfers.resolve(), "the same for all three services here"
            )
            try:
                print("· Starting three nodes, three services and the proxy", flush=True)
                cluster.start()
                _welcome(cluster, data)
                while True:
                    cluster.look_after()
                    time.sleep(0.5)
            finally:
                print("· Stopping", flush=True)
                cluster.stop()
    except CannotStart as reason:
        print(f"lentra: {reason}", file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        return 130


@contextmanager
def demo_data(folder: Path, scenario: Path) -> Iterator[Path]:
    """A database with the demo's data, loaded once and kept; what a cluster did with its copy goes."""
    data = folder / "data"
    shutil.rmtree(folder / "now", ignore_errors=True)
    if not (data / "loaded").exists():
        shutil.rmtree(data, ignore_errors=True)
        print("· Loading the demo", flush=True)
        database = OwnDatabase(data, any_free_port())
        database.start()
        try:
            service = Service(data, database.url, any_free_port(), "for loading alone, nobody is served")
            service.manage("prepare")
            service.run(str(scenario / "load.py"), str(scenario), str(data / "demo-sign-ins.json"))
        finally:
            database.stop()
        (data / "loaded").touch()
    yield data


def _welcome(cluster: Cluster, data: Path) -> None:
    people: list[dict[str, Any]] = json.loads((data / "demo-sign-ins.json").read_text())
    print(f"\nLentra is at {cluster.address}, before three services:\n")
    for n, (service, node) in enumerate(zip(cluster.services, cluster.nodes, strict=True), 1):
        assert node.process
        print(f"  service {n} at {service.address}; node {n} on port {node.port}, process {node.process.pid}")
    print("\n" + "\n".join(f"  {person['role']:10} {person['name']:8} {person['password']}" for person in people))
    print("\nKill a node's process to see the others go on. Ctrl-C stops.\n", flush=True)


if __name__ == "__main__":
    sys.exit(main())
