"""What a file made stands in packs: to whoever looks, it is as if each record had a row of its own."""

import pytest

from graupel.core.columns import Rule
from graupel.core.errors import Refused
from graupel.core.roles import SYSTEM
from graupel.features.files import service as files
from graupel.features.history import packs, rolling_back, store
from graupel.features.history import service as history
from graupel.features.products import saving, summary
from tests.making import bring_in, catalogue, make_product

LINES = [
    f'P-{n},"Wool ""{n}"" \\ é",{n}.50,{"Yarn > Newly spun" if n % 3 else ""},{"<p>Warm</p>" if n % 2 else ""}'
    for n in range(30)
]
FILE = "sku,name,price,category,description\n" + "\n".join(LINES) + "\n"


@pytest.fixture(autouse=True)
def many_packs(monkeypatch):
    monkeypatch.setattr(packs, "STRETCH", 7)


@pytest.fixture
def brought_in(ctx):
    """The change set of a file of thirty new goods, with somebody's own before and after them."""
    make_product(ctx, "OWN-1")
    change_set_id = bring_in(ctx, FILE).row["change_set_id"]
    make_product(ctx, "OWN-2")
    return change_set_id


def ids(ctx, table, where="TRUE"):
    return ctx.db.run(lambda tx: [row["id"] for row in tx.all(f"SELECT id FROM {table} WHERE {where} ORDER BY id")])


def journalled(ctx, change_set_id, size=100):
    """All rows of a change set, read by pages of a size."""

    def work(tx):
        pages, rows = 0, []
        while page := store.rows(tx, change_set_id, size, pages * size):
            rows, pages = rows + page, pages + 1
        return rows

    return ctx.db.run(work)


def test_a_packed_record_reads_as_one_that_has_a_row_of_its_own(ctx, brought_in):
    packed = journalled(ctx, brought_in)
    counted = ctx.db.run(lambda tx: store.kind_counts(tx, brought_in))
    assert {row["record_kind"]: row["made"] for row in counted} == {"category": 1, "product": 30, "variant": 30}
    assert len(packed) == 61 == history.read(ctx, SYSTEM, brought_in).change_set["records"]
    for size in (1, 4, 13):
        assert journalled(ctx, brought_in, size) == packed
    names = [row["became"]["name"] for row in packed if row["record_kind"] == "product"]
    assert names == [f'Wool "{n}" \\ é' for n in range(30)]
    in_table = {row["id"]: row for row in ctx.db.run(lambda tx: tx.all("SELECT * FROM product"))}
    for row in packed:
        if row["record_kind"] == "product":
            held = in_table[row["record_id"]]
            assert (row["became"]["category_id"], row["became"]["status"]) == (held["category_id"], held["status"])
    ctx.db.run(lambda tx: packs.unpack(tx, brought_in))
    assert sorted(journalled(ctx, brought_in), key=str) == sorted(packed, key=str)
    assert ctx.db.run(lambda tx: packs.counts(tx, brought_in)) == {}


def test_the_history_of_one_record_knows_the_file_that_made_it_and_that_of_another_does_not(ctx, brought_in):
    packed = ctx.db.run(lambda tx: tx.all(packs.ids_sql("product"), {"set": brought_in}))
    made = sorted(row["id"] for row in packed)
    own = sorted(set(ids(ctx, "product", "TRUE")) - set(made))

    def trail(**kinds):
        return [row["id"] for row in history.of_records(ctx, SYSTEM, kinds)]

    for product_id in made:
        variants = ids(ctx, "variant", f"product_id = {product_id}")
        assert trail(product=[product_id]) == trail(variant=variants) == [brought_in]
    for product_id in own:
        assert brought_in not in trail(product=[product_id], variant=ids(ctx, "variant", f"product_id = {product_id}"))
    assert brought_in in trail(product=own + made, variant=[])
    assert ctx.db.run(lambda tx: sorted(summary.touched_ids(tx, brought_in))) == made


def test_a_file_goes_back_also_after_one_of_its_goods_was_deleted_and_can_be_brought_in_again(ctx):
    before = catalogue(ctx)
    change_set_id = bring_in(ctx, FILE).row["change_set_id"]
    saving.delete(ctx, SYSTEM, ids(ctx, "product")[4])
    foreseen = rolling_back.plan(ctx, SYSTEM, change_set_id)
    done = ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, change_set_id))
    assert (done.back, done.stay) == (foreseen.back, 0)
    assert catalogue(ctx) == before
    again = bring_in(ctx, FILE)
    assert (again.row["counts"]["refused"], again.row["counts"]["new"] > 0) == (0, True)
    there = catalogue(ctx)
    assert there != before
    ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, again.row["change_set_id"]))
    assert catalogue(ctx) == before


def test_what_an_applied_file_said_is_never_read_anew(ctx, brought_in):
    file = files.list_files(ctx, SYSTEM)[0]
    with pytest.raises(Refused, match="brought in already"):
        files.request_plan(ctx, SYSTEM, file["id"], [Rule("sku", 0), Rule("name", 1)])
