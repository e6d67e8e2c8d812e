"""The nodes of a database: named in the address, taken in turn, passed over where they do not answer."""

import socket

import pytest

from graupel.db import Database, DatabaseUnavailable
from graupel.db.nodes import connect_options, nodes_of


@pytest.mark.parametrize(
    ("url", "nodes"),
    [
        ("mysql://a:b@127.0.0.1:3306/g", [("127.0.0.1", 3306)]),
        ("mysql://a:b@one,two:3307/g", [("one", 3306), ("two", 3307)]),
        ("mysql://a:p%40ss@h:1,h:2,h:3/g", [("h", 1), ("h", 2), ("h", 3)]),
        ("mysql:///g", [("127.0.0.1", 3306)]),
    ],
)
def test_the_address_names_one_node_or_several(url, nodes):
    assert nodes_of(url) == nodes
    options = connect_options(url)
    assert (options["host"], options["port"]) == nodes[0]


@pytest.mark.parametrize(
    ("where", "plain"), [("127.0.0.1:3306", True), ("localhost", True), ("db.example", False), ("localhost,two", False)]
)
def test_only_what_stays_on_this_machine_goes_without_encryption(where, plain):
    assert connect_options(f"mysql://a:b@{where}/g").get("ssl_disabled", False) is plain


def nobody_there() -> int:
    """A port at which nothing answers."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


def test_a_node_that_does_not_answer_is_passed_over_and_without_any_that_is_said(database_url):
    there = ",".join(f"{host}:{port}" for host, port in nodes_of(database_url))
    head, _, rest = database_url.rpartition("@")
    name = rest.partition("/")[2]
    with_one_gone = Database(f"{head}@127.0.0.1:{nobody_there()},{there}/{name}")
    try:
        for _ in range(3):
            assert with_one_gone.run(lambda tx: tx.value("SELECT 1")) == 1
    finally:
        with_one_gone.close()
    with pytest.raises(DatabaseUnavailable, match="does not answer"):
        Database(f"{head}@127.0.0.1:{nobody_there()},127.0.0.1:{nobody_there()}/{name}").run(
            lambda tx: None, attempts=2
        )
