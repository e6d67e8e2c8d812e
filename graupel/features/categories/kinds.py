"""What the journal knows of trees and categories, how sets of them are put back, and that they stay trees."""

from graupel.core import trees as rules
from graupel.core.errors import Refused
from graupel.core.trees import Place
from graupel.db import Tx
from graupel.features.categories import store
from graupel.features.history import records
from graupel.features.history.records import Column, RecordKind, Shown
from graupel.features.media import uses
from graupel.features.media.uses import TextUse
from graupel.features.vocabulary import references
from graupel.features.vocabulary.references import Reference
from graupel.features.wording import originals
from graupel.features.wording.originals import Original, Words

_NUMBERS = {
    "parent_id": "category",
    "tree_id": "tree",
    "position": "",
    "picture_id": "media",
    "lead_product_id": "product",
}
_SWITCHES = ("hidden", "in_navigation")


def register_kinds() -> None:
    """Tell the journal of trees and categories; ``finish_kinds`` follows when all areas are known."""
    records.register(
        RecordKind(
            "tree",
            "Tree of categories",
            lambda tx, ids: {r["id"]: Shown(r["name"], "/categories") for r in store.tree_names(tx, list(ids))},
            plain="tree",
            table="tree w",
            key="w.id",
            version="w.version",
            fields={
                "name": Column("w.name"),
                "position": Column("w.position", True),
                "shop_id": Column("w.shop_id", True, "shop"),
            },
            removable="NOT EXISTS (SELECT 1 FROM category u WHERE u.tree_id = w.id)",
        )
    )
    records.register(
        RecordKind(
            "category",
            "Category",
            lambda tx, ids: {r["id"]: Shown(r["name"], f"/categories/{r['id']}") for r in store.names(tx, list(ids))},
            plain="category",
            table="category c",
            key="c.id",
            version="c.version",
            fields={
                name: Column(
                    f"c.{name}",
                    name in _NUMBERS or name in _SWITCHES,
                    _NUMBERS.get(name, ""),
                    "parent_id" if name == "position" else "",
                )
                for name in store.FIELDS
            },
        )
    )
    records.register(
        RecordKind(
            "category_text",
            "Category's words",
            lambda tx, ids: {
                r["id"]: Shown(r["name"], f"/categories/{r['category_id']}") for r in store.text_names(tx, list(ids))
            },
            plain="category_text",
            table="category_text ct",
            key="ct.id",
            version="ct.version",
            fields={
                name: Column(f"ct.{name}", name == "category_id", "category" if name == "category_id" else "")
                for name in store.TEXT_FIELDS
            },
        )
    )
    numbers = {"category_id": "category", "attribute_id": "attribute", "choice_id": "attribute_choice"}
    records.register(
        RecordKind(
            "category_fact",
            "Category's field",
            lambda tx, ids: {
                r["id"]: Shown(r["name"], f"/categories/{r['category_id']}") for r in store.fact_names(tx, list(ids))
            },
            plain="category_fact",
            table="category_fact cf",
            key="cf.id",
            version="cf.version",
            fields={name: Column(f"cf.{name}", name in numbers, numbers.get(name, "")) for name in store.FACT_FIELDS},
        )
    )
    double = """EXISTS (SELECT 1 FROM category_fact d JOIN attribute da ON da.id = d.attribute_id
                WHERE d.category_id = cf.category_id AND d.id <> cf.id AND d.attribute_id = %(into)s
                AND da.kind <> 'several_choices')"""
    references.register(
        Reference("attribute", "category_fact", "attribute_id", "fields of categories", "NULL", double=double),
        Reference(
            "attribute_choice",
            "category_fact",
            "choice_id",
            "fields of categories",
            "NULL",
            double="""EXISTS (SELECT 1 FROM category_fact d WHERE d.category_id = cf.category_id AND d.id <> cf.id
                      AND d.choice_id = %(into)s)""",
        ),
    )
    originals.register(
        Original(
            "category",
            "Categories",
            "category c LEFT JOIN category_text ct ON ct.category_id = c.id AND ct.lang = %(lang)s",
            "c.id",
            "c.name",
            "/categories/{}",
            {"name": Words("Name", "c.name")}
            | {
                name: Words(label, f"COALESCE(ct.{name}, '')", long, rich)
                for name, label, long, rich in (
                    ("description", "Description", False, True),
                    ("meta_title", "Meta title", False, False),
                    ("meta_description", "Meta description", True, False),
                    ("picture_alt", "Alt text", False, False),
                    ("address_part", "Address part", False, False),
                )
            },
            live="NOT c.hidden",
        )
    )
    originals.register(
        Original("tree", "Trees", "tree w", "w.id", "w.name", "/categories", {"name": Words("Name", "w.name")})
    )
    references.register(Reference("media", "category", "picture_id", "Categories", "NULL"))
    uses.register_text(TextUse("category_text", "description"))
    records.on_recorded(_stay_trees)


def finish_kinds() -> None:
    """With all areas known: a category that holds goods or others stays when its making is rolled back."""
    unused = references.unused("category", "c.id")
    records.amend(
        "category",
        removable=f"""({unused} AND NOT EXISTS (SELECT 1 FROM category cc WHERE cc.parent_id = c.id)
                  AND NOT EXISTS (SELECT 1 FROM category_text xt WHERE xt.category_id = c.id)
                  AND NOT EXISTS (SELECT 1 FROM category_fact xf WHERE xf.category_id = c.id))""",
        foreseen="""(NOT EXISTS (SELECT 1 FROM product cp LEFT JOIN change_row x ON x.change_set_id = r.change_set_id
                      AND x.record_kind = 'product' AND x.record_id = cp.id
                      WHERE cp.category_id = c.id AND (x.record_id IS NULL OR (x.was IS NULL AND cp.was_live)))
                  AND NOT EXISTS (SELECT 1 FROM category cc LEFT JOIN change_row y
                      ON y.change_set_id = r.change_set_id AND y.record_kind = 'category' AND y.record_id = cc.id
                      WHERE cc.parent_id = c.id AND y.record_id IS NULL))""",
    )


def _stay_trees(tx: Tx, change_set_id: int) -> None:
    """After a change set that moved categories: no circles, no gaps. What is put back by a roll back may leave both.

    Raises Refused where one would stand inside itself.
    """
    moved = tx.value(
        """SELECT 1 FROM change_row WHERE change_set_id = %s AND record_kind = 'category'
           AND (became IS NULL OR was IS NULL OR JSON_EXISTS(became, '$.parent_id')
                OR JSON_EXISTS(became, '$.tree_id') OR JSON_EXISTS(became, '$.position')) LIMIT 1""",
        [change_set_id],
    )
    if not moved:
        return
    places = store.places(tx)
    if len(rules.with_all_below(places, [one for one, place in places.items() if place.parent <= 0])) < len(places):
        raise Refused.because(
            "category.circle",
            "A category would come to stand inside itself: it was moved again since. Move it by hand.",
        )
    for siblings in rules.children(places).values():
        for at, one in enumerate(siblings):
            if places[one].position != at:
                place(tx, change_set_id, one, places[one], Place(places[one].parent, at))


def place(tx: Tx, change_set_id: int, category_id: int, was: Place, becomes: Place) -> None:
    """Write and journal where a category stands; it may have been journalled in this set before."""
    before, after = ({"position": one.position, **_above(one)} for one in (was, becomes))
    changed = {name: value for name, value in after.items() if before[name] != value}
    records_row = {name: before[name] for name in changed}
    store.journal_place(tx, change_set_id, category_id, records_row, changed)
    store.update(tx, category_id, changed)


def _above(place: Place) -> dict[str, int | None]:
    """A parent of core.trees as the table has it."""
    return {"parent_id": place.parent, "tree_id": None} if place.parent > 0 else {
        "parent_id": None, "tree_id": -place.parent or None,
    }  # fmt: skip
