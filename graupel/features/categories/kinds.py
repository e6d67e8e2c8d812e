"""What the journal knows of trees and categories, how sets of them are put back, and that they stay trees."""

from collections.abc import Callable, Sequence

from graupel.core import trees as rules
from graupel.core.declarations import categories as declared
from graupel.core.errors import Refused
from graupel.core.trees import TreePlace
from graupel.db import Tx
from graupel.features.categories import store
from graupel.features.categories.rows import NamedOfCategory
from graupel.features.history import following, journal, records
from graupel.features.history.following import Recorded
from graupel.features.history.records import Describe, RecordKind, Shown
from graupel.features.media import uses
from graupel.features.media.uses import TextUse
from graupel.features.vocabulary import references
from graupel.features.wording import originals
from graupel.features.wording.originals import Original


def register_kinds() -> None:
    """Tell the journal of trees and categories; ``finish_kinds`` follows when all areas are known."""
    records.register(
        RecordKind(
            declared.TREE,
            lambda tx, ids: {r["id"]: Shown(r["name"], "/categories") for r in store.tree_names(tx, list(ids))},
            removable="NOT EXISTS (SELECT 1 FROM category u WHERE u.tree_id = w.id)",
        )
    )
    records.register(
        RecordKind(
            declared.CATEGORY,
            lambda tx, ids: {r["id"]: Shown(r["name"], f"/categories/{r['id']}") for r in store.names(tx, list(ids))},
        )
    )
    for record, names in ((declared.CATEGORY_TEXT, store.text_names), (declared.CATEGORY_FACT, store.fact_names)):
        records.register(RecordKind(record, _within_category(names)))
    references.refine("category_fact", "attribute_id", double=references.one_only("category_fact", "category_id"))
    originals.register(
        Original(
            "category",
            "Categories",
            "category c LEFT JOIN category_text ct ON ct.category_id = c.id AND ct.lang = %(lang)s",
            "c.id",
            "c.name",
            "/categories/{}",
            originals.words_of(declared.CATEGORY) | originals.words_of(declared.CATEGORY_TEXT, "COALESCE({}, '')"),
            live="NOT c.hidden",
        )
    )
    originals.register(
        Original("tree", "Trees", "tree w", "w.id", "w.name", "/categories", originals.words_of(declared.TREE))
    )
    uses.register_text(TextUse("category_text", "description"))
    following.on_recorded(_stay_trees)


def _within_category(names: Callable[[Tx, list[int]], Sequence[NamedOfCategory]]) -> Describe:
    """How records that belong to a category are named."""
    return lambda tx, ids: {r["id"]: Shown(r["name"], f"/categories/{r['category_id']}") for r in names(tx, list(ids))}


def finish_kinds() -> None:
    """With all areas known: a category that holds goods or others stays when its making is rolled back."""
    unused = references.unused("category", "c.id")
    records.amend(
        "category",
        removable=f"""({unused} AND NOT EXISTS (SELECT 1 FROM category cc WHERE cc.parent_id = c.id)
                  AND NOT EXISTS (SELECT 1 FROM category_text xt WHERE xt.category_id = c.id)
                  AND NOT EXISTS (SELECT 1 FROM category_fact xf WHERE xf.category_id = c.id))""",
    )


def _stay_trees(tx: Tx, recorded: Recorded) -> None:
    """After a change set that moved categories: no circles, no gaps. What is put back by a roll back may leave both.

    Raises Refused where one would stand inside itself.
    """
    if not recorded.wrote.any_of("category", ("parent_id", "tree_id", "position")):
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
                place(tx, recorded.change_set_id, one, places[one], TreePlace(places[one].parent, at))


def place(tx: Tx, change_set_id: int, category_id: int, stood: TreePlace, stands: TreePlace) -> None:
    """Write and journal where a category stands; it may have been journalled in this set before."""
    before, after = ({"position": one.position, **_above(one)} for one in (stood, stands))
    changed = {name: value for name, value in after.items() if before[name] != value}
    was = {name: before[name] for name in changed}
    version = store.version(tx, category_id) + 1
    journal.write_one(tx, change_set_id, records.kind_of("category"), category_id, version, was, changed)
    store.update(tx, category_id, changed)


def _above(place: TreePlace) -> dict[str, int | None]:
    """A parent of core.trees as the table has it."""
    return {"parent_id": place.parent, "tree_id": None} if place.parent > 0 else {
        "parent_id": None, "tree_id": -place.parent or None,
    }  # fmt: skip
