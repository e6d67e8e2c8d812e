"""Three nodes of a cluster on loopback, each a private server of its own, for tests of what two people do at once."""

import shutil
import socket
import time
from pathlib import Path

import pymysql

from graupel.db.server import PrivateServer

NODES = 3
PROVIDER = "/usr/lib/galera/libgalera_smm.so"
JOIN_SECONDS = 60


class Cluster:
    """Three nodes; ``nodes[0]`` begins the cluster."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        ports = _free_ports(NODES * 3)
        self._ports = [ports[at : at + 3] for at in range(0, len(ports), 3)]
        peers = ",".join(f"127.0.0.1:{base}" for base, _, _ in self._ports)
        self.nodes = [
            PrivateServer(
                folder / f"node{number}", durable=False, buffer_pool="256M", more=_settings(number, peers, *these)
            )
            for number, these in enumerate(self._ports)
        ]

    def start(self) -> None:
        """Start all; returns when each is ready. The first gives its data to the others."""
        first = self.nodes[0]
        first.start("--wsrep-new-cluster")
        for other in self.nodes[1:]:
            (other.folder / "data" / "mysql").mkdir(parents=True)  # it comes from the first, and is not made
            shutil.copy(first.folder / "password", other.folder / "password")
            other.start()
        self.wait_until_whole()

    def make_database(self, name: str) -> None:
        """Make a database, on all nodes."""
        self.nodes[0].make_database(name)

    def stop(self) -> None:
        """Stop all, the last that came first."""
        for node in reversed(self.nodes):
            node.stop()

    def url(self, database: str) -> str:
        """The address of a database, with all nodes."""
        hosts = ",".join(f"127.0.0.1:{node.port}" for node in self.nodes)
        return self.nodes[0].url(database).replace(f"127.0.0.1:{self.nodes[0].port}", hosts)

    def wait_until_whole(self, size: int = NODES) -> None:
        """Wait until the nodes that are up know ``size`` of them, and are ready."""
        deadline = time.monotonic() + JOIN_SECONDS
        while not all(_is_ready(node, size) for node in self.nodes if node.is_up):
            assert time.monotonic() < deadline, f"{size} nodes did not come together in {JOIN_SECONDS} s"
            time.sleep(0.1)  # a node has no way to tell but to be asked


def _is_ready(node: PrivateServer, size: int) -> bool:
    wanted = {"wsrep_ready": "ON", "wsrep_cluster_size": str(size)}
    try:
        return dict(node.ask("SHOW STATUS WHERE variable_name IN ('wsrep_ready', 'wsrep_cluster_size')")) == wanted
    except pymysql.err.OperationalError:
        return False


def _settings(number: int, peers: str, base: int, incremental: int, whole: int) -> dict[str, str]:
    here = "127.0.0.1"
    provider = {
        "base_host": here,
        "base_port": base,
        "gmcast.listen_addr": f"tcp://{here}:{base}",
        "ist.recv_addr": f"{here}:{incremental}",
        "ist.recv_bind": f"{here}:{incremental}",
        "gcache.size": "128M",
    }
    return {
        "binlog_format": "ROW",
        "innodb_autoinc_lock_mode": "2",
        "wsrep_on": "ON",
        "wsrep_provider": PROVIDER,
        "wsrep_cluster_name": "graupel-tests",
        "wsrep_cluster_address": f"gcomm://{peers}",
        "wsrep_node_name": f"node{number}",
        "wsrep_node_address": f"{here}:{base}",
        "wsrep_sst_method": "rsync",
        "wsrep_sst_receive_address": f"{here}:{whole}",
        "wsrep_provider_options": '"' + ";".join(f"{name}={value}" for name, value in provider.items()) + '"',
    }


def _free_ports(count: int) -> list[int]:
    probes = [socket.socket() for _ in range(count)]
    try:
        for probe in probes:
            probe.bind(("127.0.0.1", 0))
        return [int(probe.getsockname()[1]) for probe in probes]
    finally:
        for probe in probes:
            probe.close()
