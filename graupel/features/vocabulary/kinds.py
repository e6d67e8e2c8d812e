"""What the journal knows of the vocabulary, and how sets of it are put back."""

from graupel.core.declarations import vocabulary as declared
from graupel.core.records import Record
from graupel.features.history import records
from graupel.features.history.records import RecordKind, Shown
from graupel.features.vocabulary import carriers, references, store
from graupel.features.wording import originals
from graupel.features.wording.originals import Original


def _named(record: Record, link: str) -> RecordKind:
    return RecordKind(
        record,
        lambda tx, ids: {r["id"]: Shown(r["name"], link.format(r["id"])) for r in store.names_of(tx, record.name, ids)},
    )


def register_kinds() -> None:
    """Tell the journal of the vocabulary's own kinds; ``finish_kinds`` follows when all areas are known."""
    records.register(_named(declared.BRAND, "/vocabulary/brands/{}"))
    records.register(_named(declared.TAG, "/vocabulary/tags/{}"))
    records.register(_named(declared.TYPE, "/vocabulary/types/{}"))
    records.register(
        RecordKind(
            declared.ATTRIBUTE,
            lambda tx, ids: {
                r["id"]: Shown(r["name"], f"/vocabulary/attributes/{r['id']}") for r in store.attributes(tx, ids=ids)
            },
        )
    )
    records.register(
        RecordKind(
            declared.ATTRIBUTE_CHOICE,
            lambda tx, ids: {
                r["id"]: Shown(r["label"], f"/vocabulary/attributes/{r['attribute_id']}")
                for r in store.choices_by_ids(tx, ids)
            },
        )
    )
    records.register(
        RecordKind(
            declared.TYPE_ATTRIBUTE,
            lambda tx, ids: {
                r["id"]: Shown(f"{r['name']} of {r['type']}", f"/vocabulary/types/{r['type_id']}")
                for r in store.type_attributes_by_ids(tx, ids)
            },
        )
    )
    originals.register(
        Original(
            "attribute",
            "Attributes",
            "attribute a",
            "a.id",
            "a.name",
            "/vocabulary/attributes/{}",
            originals.words_of(declared.ATTRIBUTE),
        )
    )
    originals.register(
        Original(
            "choice",
            "Choices",
            "attribute_choice h JOIN attribute a ON a.id = h.attribute_id",
            "h.id",
            "CONCAT(a.name, ': ', h.label)",
            "/vocabulary/attributes/{}",
            originals.words_of(declared.ATTRIBUTE_CHOICE),
            link_key="h.attribute_id",
        )
    )


def register_taggings() -> None:
    """Taggings come after all that can carry a tag."""
    carriers.register("brand", "Brands", records.kind_of("brand").describe)
    records.register(
        RecordKind(
            declared.TAGGING, lambda tx, ids: {r["id"]: Shown(r["name"]) for r in store.taggings_by_ids(tx, ids)}
        )
    )


def finish_kinds() -> None:
    """With all references known: what is in use stays when its making is rolled back."""
    for kind, key in (("brand", "b.id"), ("tag", "g.id"), ("attribute_choice", "h.id")):
        records.amend(kind, removable=f"({references.unused(kind, key)})")
    for kind, key, child, column in (
        ("type", "y.id", "type_attribute", "type_id"),
        ("attribute", "a.id", "attribute_choice", "attribute_id"),
    ):
        hangs = f"EXISTS (SELECT 1 FROM {child} n WHERE n.{column} = {key})"
        records.amend(kind, removable=f"({references.unused(kind, key)} AND NOT {hangs})")
