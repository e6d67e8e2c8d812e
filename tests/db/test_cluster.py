"""Three nodes of a cluster: what one wrote is there for all, whole or not at all, also when one of them dies."""

import threading
import time

import pytest

from graupel.core.roles import SYSTEM
from graupel.core.tables import TableState
from graupel.db.nodes import nodes_of
from graupel.features.files import service as files
from graupel.features.history import service as history
from graupel.features.products import service as products
from graupel.features.products import table
from tests.cluster import NODES, Cluster
from tests.conftest import SERVER
from tests.making import make_product, outcome, plan_file, roll_back_newest, work_off

pytestmark = pytest.mark.cluster


@pytest.fixture
def cluster(request) -> Cluster:
    return request.config.stash[SERVER]


def wait_until(condition, seconds=20):
    """Whether something comes true: what one node committed, another has a little later."""
    deadline = time.monotonic() + seconds
    while not (found := condition()) and time.monotonic() < deadline:
        time.sleep(0.05)
    return found


def test_the_connections_of_a_pool_go_to_all_nodes(ctx, database_url):
    assert len(nodes_of(database_url)) == NODES
    inside = threading.Barrier(NODES, timeout=20)

    def ask(tx):
        found.append(tx.value("SELECT @@wsrep_node_name"))
        inside.wait()

    found: list[str] = []
    threads = [threading.Thread(target=ctx.db.run, args=[ask]) for _ in range(NODES)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert sorted(found) == ["node0", "node1", "node2"]


def test_what_was_just_written_is_seen_through_every_node(ctx):
    for number in range(1, 41):
        product_id = make_product(ctx, f"FEL-{number}")
        assert products.read(ctx, SYSTEM, product_id).variants[0].sku == f"FEL-{number}"
        assert table.read(ctx, SYSTEM, TableState()).total == number


def test_an_import_travels_in_pieces_and_is_seen_whole_or_not_at_all(ctx, cluster):
    rows = 30_000
    lines = "".join(f"P-{n:05d},Wool {n},{n % 90 + 1},Yarn > Shelf {n % 7}\n" for n in range(rows))
    file = plan_file(ctx, "sku,name,price,category\n" + lines)
    job_id = files.request_apply(ctx, SYSTEM, file.id, leave_out=False)
    work = threading.Thread(target=work_off, args=[ctx])
    work.start()
    pieces, counts = 0, set()
    while work.is_alive():
        for node in cluster.nodes:
            counts.add(node.ask("SELECT COUNT(*) FROM graupel_main.variant")[0][0])
            pieces = max(pieces, node.ask("SELECT COUNT(*) FROM mysql.wsrep_streaming_log")[0][0])
        work.join(0.05)
    assert outcome(ctx, job_id) == ("done", f"{rows:,} made, 0 changed.")
    assert pieces > 1
    assert counts <= {0, rows}
    written = "SELECT SUM(records) FROM graupel_main.change_pack WHERE record_kind = 'variant'"
    for node in cluster.nodes:
        assert wait_until(lambda node=node: node.ask(written) == ((rows,),))
    roll_back_newest(ctx)
    assert ctx.db.run(lambda tx: tx.value("SELECT COUNT(*) FROM product")) == 0
    assert len(history.list_change_sets(ctx, SYSTEM).change_sets) == 2


def test_when_a_node_dies_the_others_go_on_and_it_comes_back_with_what_it_missed(ctx, cluster):
    for number in range(6):
        make_product(ctx, f"BEFORE-{number}")
    dying = cluster.nodes[-1]
    dying.kill()
    for number in range(6):
        make_product(ctx, f"AFTER-{number}")
    cluster.wait_until_whole(NODES - 1)
    dying.start()
    cluster.wait_until_whole()
    assert wait_until(lambda: dying.ask("SELECT COUNT(*) FROM graupel_main.product") == ((12,),))
    assert table.read(ctx, SYSTEM, TableState()).total == 12
