"""Every record is declared once, and what is derived from that fits the tables and the code."""

from dataclasses import fields
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from graupel.core.declarations.products import INHERITED, PRODUCT, VARIANT
from graupel.core.products import LABELS, ProductValues
from graupel.core.records import FieldKind
from graupel.core.roles import SYSTEM
from graupel.features.history import journal, records, store
from graupel.features.history import service as history
from graupel.features.products import many
from graupel.features.products import service as products
from graupel.features.products.columns import inherited_sql
from graupel.features.vocabulary import references
from graupel.features.vocabulary import service as vocabulary
from tests.making import make_product

#: Columns that are no fields of a record: its id and version, and what is worked out or measured.
NO_FIELDS = {"id", "version", "made_at", "changed_at", "was_live", "sizes", "next_number"}
#: What can't be put back is no field: what a marketplace said of a listing, what is under way, what was booked.
ELSEWHERE = {
    "listing": {
        *("state", "sent_fingerprint", "stale", "reasons", "page_number", "sent_at", "answered_at", "asked"),
        *("held_by", "held_until", "held_back", "looks", "look_at", "on_sale_as_of"),
    },
    "order": {"made_at", "trial"},
    "review": {"who", "made_at"},
    "stock": {"on_hand", "reserved"},  # these follow from entries and orders
    "stock_notice": {"feed_key"},
    "file_source": {"reached", "looked_at", "sha256", "file_id", "is_asking", "said"},
    "file_outlet": {"reached", "written_at", "is_wrong", "said"},
    "stock_entry": {"order_id", "change_set_id", "at"},
}
VOCABULARY = (
    "brand",
    "tag",
    "type",
    "attribute",
    "attribute_choice",
    "media",
    "buyer_choice",
    "download",
    "relation_kind",
)


def declared():
    return [kind for kind in records.kinds() if kind.record.fields]


def columns_of(ctx, table):
    rows = ctx.db.run(
        lambda tx: tx.all(
            """SELECT column_name AS name, is_nullable AS empty, data_type AS type FROM information_schema.columns
               WHERE table_schema = DATABASE() AND table_name = %s AND is_generated = 'NEVER'""",
            [table],
        )
    )
    return {row["name"]: row for row in rows}


def test_every_declared_field_is_a_column_and_every_column_is_declared(ctx):
    for kind in declared():
        record = kind.record
        fields = columns_of(ctx, record.plain).keys() - NO_FIELDS - ELSEWHERE.get(record.name, set())
        assert set(record.columns()) == fields, record.name
        if record.beside:
            beside = columns_of(ctx, record.beside.table).keys() - {"id", "version", "lang", record.beside.key}
            assert set(record.columns(beside=True)) == beside


def test_kinds_fit_the_types_of_their_columns(ctx):
    fitting = {
        FieldKind.MONEY: {"decimal"},
        FieldKind.DECIMAL: {"decimal"},
        FieldKind.QUANTITY: {"decimal"},
        FieldKind.DAY: {"date"},
        FieldKind.WEIGHT: {"int"},
        FieldKind.COUNT: {"int", "bigint", "smallint", "tinyint", "mediumint"},
        FieldKind.SWITCH: {"tinyint"},
        FieldKind.REF: {"int", "bigint"},
        FieldKind.RICH: {"mediumtext", "text", "longtext"},
    }
    for kind in declared():
        columns = columns_of(ctx, kind.record.plain)
        if kind.record.beside:
            columns |= columns_of(ctx, kind.record.beside.table)
        for field in kind.record.fields:
            if field.booked:
                continue
            held = columns[field.name]
            assert held["type"] in fitting.get(field.kind, {held["type"]}), (kind.name, field.name)
            if field.empty is not None:
                assert held["empty"] == "NO", (kind.name, field.name)


def test_parents_come_before_what_belongs_to_them_and_all_that_is_referred_to_is_known(ctx):
    seen = []
    for kind in declared():
        assert kind.record.parent in ("", *seen), kind.name
        seen.append(kind.name)
    names = {kind.name for kind in records.kinds()}
    assert {field.refers_to for kind in declared() for field in kind.record.fields} - {""} <= names


def test_every_field_that_refers_to_a_word_tells_of_it_so_that_joining_reaches_it(ctx):
    """What a word is made of, as a choice of its attribute, goes with it and is no use of it."""
    told = {(one.kind, one.record, one.field) for word in VOCABULARY for one in references.of(word)}
    made_of = {
        ("attribute", "attribute_choice", "attribute_id"),
        ("type", "type_attribute", "type_id"),
        ("buyer_choice", "choice_entry", "buyer_choice_id"),
        ("download", "download_version", "download_id"),
    }
    for kind in declared():
        for field in kind.record.fields:
            meant = {field.refers_to} | {kind for _, kind in field.kinds_in[1]}
            assert meant & {*VOCABULARY} or not field.use or "category" in meant, "what is told, is told of something"
            if field.refers_to in VOCABULARY:
                assert (field.refers_to, kind.name, field.name) in told | made_of


def test_the_values_of_a_product_are_those_that_are_declared():
    typed = {field.name for field in fields(ProductValues)}
    assert typed - {"categories", "tags", "pictures", "facts", "own", "brand"} <= {*PRODUCT.names, *VARIANT.names}
    assert set(PRODUCT.names) - typed == {"brand_id", "sku_pattern"}
    assert typed - {"own"} <= LABELS.keys()
    kept = {field.name for field in fields(products.Variant)}
    assert {name for name in VARIANT.names if not name.startswith("choice_")} <= kept


def test_only_what_is_declared_as_inherited_is_inherited():
    assert set(INHERITED) <= set(PRODUCT.names) & set(VARIANT.names)
    assert inherited_sql("weight_g") == "COALESCE(v.weight_g, p.weight_g)"
    with pytest.raises(KeyError):
        inherited_sql("gtin")


# --- the journal ---------------------------------------------------------------------------------------------

FIELDS = ("price", "cost", "weight_g", "zero_limit")


def row_of(ctx, change_set_id, kind, record_id):
    rows = ctx.db.run(lambda tx: store.rows(tx, change_set_id, 100))
    return next((row for row in rows if (row["record_kind"], row["record_id"]) == (kind, record_id)), None)


def by_set(tx, recorder, variant_id, name, value):
    differs = {name: f"NOT (v.{name} <=> %(new)s)"}
    journal.write(
        tx,
        recorder.change_set_id,
        records.kind_of("variant"),
        "variant v",
        f"v.id = %(id)s AND {differs[name]}",
        {"id": variant_id, "new": value},
        was={name: f"v.{name}"},
        became={name: "%(new)s"},
        only=differs,
    )


STEPS = st.lists(
    st.tuples(st.sampled_from(["one", "set"]), st.sampled_from(FIELDS), st.sampled_from([None, 1, 2, 3])),
    min_size=1,
    max_size=6,
)


@given(STEPS)
def test_a_record_that_changes_several_times_in_a_set_has_what_was_first_and_what_is_last(ctx, steps):
    """By single rows and by sets, and to and from nothing too."""
    number = len(many.list_after(ctx, SYSTEM, after=0, limit=500))
    variant = products.read(ctx, SYSTEM, make_product(ctx, f"J-{number}")).variants[0]
    first = {name: getattr(variant, name) for name in FIELDS}
    now = dict(first)

    def work(tx):
        with history.change_set(tx, SYSTEM, "test", "Several steps") as recorder:
            for way, name, typed in steps:
                value = Decimal(typed) if typed and name in ("price", "cost") else typed
                if way == "one":
                    recorder.changed("variant", variant.id, {name: now[name]}, {name: value}, 2)
                else:
                    by_set(tx, recorder, variant.id, name, value)
                tx.run(f"UPDATE variant SET {name} = %s WHERE id = %s", [value, variant.id])
                now[name] = value
            return recorder.change_set_id

    row = row_of(ctx, ctx.db.run(work), "variant", variant.id)
    named = set(row["became"]) if row else set()
    assert {name for name in FIELDS if now[name] != first[name]} <= named
    for name in named:
        kept = [None if value is None else Decimal(value) for value in (row["was"][name], row["became"][name])]
        assert kept == [first[name], now[name]]


def test_what_comes_and_goes_within_one_set_leaves_nothing_and_what_comes_back_has_changed(ctx):
    variant = products.read(ctx, SYSTEM, make_product(ctx, "J-1")).variants[0]

    def work(tx):
        with history.change_set(tx, SYSTEM, "test", "To and fro") as recorder:
            recorder.made("brand", 77, {"name": "Passing"})
            recorder.removed("brand", 77, {"name": "Passing"}, 2)
            recorder.removed("variant", variant.id, {"sku": "J-1", "price": variant.price, "gtin": None}, 2)
            recorder.made("variant", variant.id, {"sku": "J-1", "price": None, "gtin": "9520000000004"}, 3)
            return recorder.change_set_id

    change_set_id = ctx.db.run(work)
    assert row_of(ctx, change_set_id, "brand", 77) is None
    row = row_of(ctx, change_set_id, "variant", variant.id)
    assert (row["was"]["price"], row["became"]["price"]) == ("9.80", None)
    assert (row["was"]["gtin"], row["became"]["gtin"]) == (None, "9520000000004")


def test_which_change_sets_ended_last_is_kept_by_rows_however_far_apart_their_numbers_are(ctx, monkeypatch):
    """On a cluster, numbers go in steps."""
    monkeypatch.setattr(store, "KEPT_RECORDED", 3)
    for name in "ABCDE":
        vocabulary.make(ctx, SYSTEM, "brand", name)
    ctx.db.run(lambda tx: tx.run("UPDATE recorded SET no = no * 1000 ORDER BY no DESC"))
    newest = ctx.db.run(lambda tx: store.newest_ids(tx, 3))
    assert ctx.db.run(store.prune_recorded) > 0
    assert ctx.db.run(lambda tx: store.newest_ids(tx, 10)) == newest
    assert ctx.db.run(store.prune_recorded) == 0
