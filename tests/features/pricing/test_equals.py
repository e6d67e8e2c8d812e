"""Two sales that nothing sets apart: core says which, and three statements of SQL say the same."""

from contextlib import suppress
from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from graupel.core.declarations.terms import SALE, SALE_GOODS
from graupel.core.roles import SYSTEM
from graupel.core.sales import Reach, Reduction, Sale, TakesOff
from graupel.db import declared
from graupel.features.history import records
from graupel.features.pricing import selling
from graupel.features.products import service as products
from graupel.features.terms import store
from tests.making import make_product
from tests.needles import colour, needles, size

__all__ = ["colour", "needles", "size"]

BEGIN = datetime(2026, 11, 20, tzinfo=UTC)
#: Reach, up to which two targets of the pool, destination, day of the beginning, days until the end (0: none).
plans = st.lists(
    st.tuples(
        st.sampled_from(list(Reach)),
        st.sets(st.integers(0, 2), min_size=1, max_size=2),
        st.sampled_from(["", "s1"]),
        st.integers(0, 6),
        st.integers(0, 4),
    ),
    min_size=2,
    max_size=6,
)


class Undo(Exception):
    """Takes everything back, so that each example begins from the same state."""


def _sale(plan, pool) -> Sale:
    reach, chosen, destination, first, days = plan
    targets = frozenset() if reach is Reach.ALL else frozenset(pool[reach][one % len(pool[reach])] for one in chosen)
    begins = BEGIN + timedelta(days=first)
    ends = begins + timedelta(days=days) if days else None
    return Sale(0, "", reach, targets, destination, Reduction(TakesOff.PERCENT, 10), begins, ends)


def _insert(tx, sale: Sale) -> int:
    made = declared.insert(tx, SALE, selling.columns(sale))
    for product_id, target in sale.targets:
        named = {Reach.VARIANT: "variant_id", Reach.CHOICE: "choice_id"}.get(sale.reach)
        values = {"sale_id": made, "product_id": product_id, "variant_id": None, "choice_id": None}
        declared.insert(tx, SALE_GOODS, values | ({named: target} if named else {}))
    return made


@pytest.fixture
def yarn(ctx) -> int:
    return make_product(ctx, "FEL-1")


@settings(max_examples=60, deadline=None, suppress_health_check=list(HealthCheck))
@given(plans)
def test_equals_are_found_by_sets_as_one_by_one(ctx, needles, yarn, said):
    product = products.read(ctx, SYSTEM, needles)
    choices = list(dict.fromkeys(choice for one in product.variants for choice in one.combination if choice))
    pool = {
        Reach.PRODUCT: [(needles, 0), (yarn, 0)],
        Reach.VARIANT: [(needles, one.id) for one in product.variants[:3]],
        Reach.CHOICE: [(needles, choice) for choice in choices[:3]],
    }

    def work(tx):
        sales = [_sale(plan, pool) for plan in said]
        ids = [_insert(tx, one) for one in sales]
        equal = {
            mine: {theirs for theirs, b in zip(ids, sales, strict=True) if theirs != mine and a.equals(b)}
            for mine, a in zip(ids, sales, strict=True)
        }
        found = {one: store.equals_of(tx, one) for one in ids}
        assert {one: bool(row) for one, row in found.items()} == {one: bool(those) for one, those in equal.items()}
        assert all(row is None or row["id"] in equal[one] for one, row in found.items())
        alone = tx.all(f"SELECT sa.id FROM sale sa WHERE {records.kind_of('sale').whole_when}")
        assert {row["id"] for row in alone} == {one for one in ids if not equal[one]}
        whole = records.kind_of("sale_goods").whole_when
        shared = tx.all(f"SELECT DISTINCT sg.sale_id AS id FROM sale_goods sg WHERE NOT {whole}")
        assert {row["id"] for row in shared} == {
            one for one, a in zip(ids, sales, strict=True) if equal[one] and a.reach is not Reach.ALL
        }
        raise Undo

    with suppress(Undo):
        ctx.db.run(work)
