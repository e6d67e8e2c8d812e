"""Ids in blocks: nobody else is given one of them, whoever makes goods in between."""

from graupel.features.products.batch import numbering
from graupel.features.products.batch.numbering import Block
from tests.making import bring_in, make_product


def ids(ctx, table):
    return ctx.db.run(lambda tx: {row["id"] for row in tx.all(f"SELECT id FROM {table}")})


def test_a_block_is_nobody_elses_and_nothing_of_it_stands_anywhere_until_it_is_used(ctx):
    one = ctx.db.run(lambda tx: numbering.reserve(tx, 50, 60))
    between = make_product(ctx, "A-1")
    other = ctx.db.run(lambda tx: numbering.reserve(tx, 50, 60))
    make_product(ctx, "B-1")
    assert between in ids(ctx, "product")
    for name, number in (("product", 50), ("variant", 60)):
        first, second = (
            set(range(start, start + number * block.step, block.step))
            for block in (one, other)
            for start in [getattr(block, name)]
        )
        taken = ids(ctx, name)
        assert not first & second
        assert not (first | second) & taken
        assert len(taken) == 2
    assert ctx.db.run(lambda tx: numbering.reserve(tx, 0, 0)) == Block()


def test_products_and_variants_of_a_file_are_numbered_row_by_row_also_where_others_came_between(ctx):
    make_product(ctx, "N-2")
    bring_in(ctx, "sku,name,price\nN-1,One,1\nN-2,Two,2\nN-3,Three,3\n")
    sql = "SELECT v.sku, v.id, v.product_id FROM variant v WHERE v.sku IN ('N-1', 'N-3') ORDER BY v.sku"
    first, second = ctx.db.run(lambda tx: tx.all(sql))
    assert second["id"] - first["id"] == second["product_id"] - first["product_id"] > 0
    make_product(ctx, "O-1")
    assert max(ids(ctx, "variant")) > second["id"]
