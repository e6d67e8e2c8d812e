"""What the journal knows of the vocabulary, and how sets of it are put back."""

from graupel.features.history import records
from graupel.features.history.records import Column, RecordKind, Shown
from graupel.features.vocabulary import carriers, references, store
from graupel.features.vocabulary.references import Reference
from graupel.features.wording import originals
from graupel.features.wording.originals import Original, Words


def _within_set(child: str, parent_column: str, key: str, kind: str) -> str:
    """SQL for the dry run: whatever hangs on the record was made by the same change set, and goes with it."""
    return f"""NOT EXISTS (SELECT 1 FROM {child} n LEFT JOIN change_row y ON y.change_set_id = r.change_set_id
               AND y.record_kind = '{kind}' AND y.record_id = n.id
               WHERE n.{parent_column} = {key} AND (y.record_id IS NULL OR y.was IS NOT NULL))"""


def _named(kind: str, label: str, alias: str, link: str, **more: Column) -> RecordKind:
    table = store.NAMED[kind]
    return RecordKind(
        kind,
        label,
        lambda tx, ids: {r["id"]: Shown(r["name"], link.format(r["id"])) for r in store.names_of(tx, kind, ids)},
        plain=table,
        table=f"{table} {alias}",
        key=f"{alias}.id",
        version=f"{alias}.version",
        fields={"name": Column(f"{alias}.name"), **more},
    )


def register_kinds() -> None:
    """Tell the journal of the vocabulary's own kinds; ``finish_kinds`` follows when all areas are known."""
    records.register(_named("brand", "Brand", "b", "/vocabulary/brands/{}"))
    records.register(_named("tag", "Tag", "g", "/vocabulary/tags/{}"))
    records.register(_named("type", "Product type", "y", "/vocabulary/types/{}", code_prefix=Column("y.code_prefix")))
    records.register(
        RecordKind(
            "attribute",
            "Attribute",
            lambda tx, ids: {
                r["id"]: Shown(r["name"], f"/vocabulary/attributes/{r['id']}") for r in store.attributes(tx, ids=ids)
            },
            plain="attribute",
            table="attribute a",
            key="a.id",
            version="a.version",
            fields={
                "product_id": Column("a.product_id", True, "product"),
                "name": Column("a.name"),
                "kind": Column("a.kind"),
                "family": Column("a.family"),
                "unit": Column("a.unit"),
                "help": Column("a.help"),
            },
        )
    )
    records.register(
        RecordKind(
            "attribute_choice",
            "Choice",
            lambda tx, ids: {
                r["id"]: Shown(r["label"], f"/vocabulary/attributes/{r['attribute_id']}")
                for r in store.choices_by_ids(tx, ids)
            },
            plain="attribute_choice",
            table="attribute_choice h",
            key="h.id",
            version="h.version",
            fields={
                "attribute_id": Column("h.attribute_id", True, "attribute"),
                "label": Column("h.label"),
                "code": Column("h.code"),
                "swatch": Column("h.swatch"),
                "swatch_media_id": Column("h.swatch_media_id", True, "media"),
                "position": Column("h.position", True),
            },
        )
    )
    records.register(
        RecordKind(
            "type_attribute",
            "Attribute of a type",
            lambda tx, ids: {
                r["id"]: Shown(f"{r['name']} of {r['type']}", f"/vocabulary/types/{r['type_id']}")
                for r in store.type_attributes_by_ids(tx, ids)
            },
            plain="type_attribute",
            table="type_attribute w",
            key="w.id",
            version="w.version",
            fields={
                "type_id": Column("w.type_id", True, "type"),
                "attribute_id": Column("w.attribute_id", True, "attribute"),
                "group_name": Column("w.group_name"),
                "position": Column("w.position", True),
                "need": Column("w.need"),
                "when_attribute_id": Column("w.when_attribute_id", True, "attribute"),
                "when_choice_id": Column("w.when_choice_id", True, "attribute_choice"),
                "may_differ": Column("w.may_differ", True),
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
            {"name": Words("Name", "a.name"), "help": Words("Help", "a.help")},
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
            {"label": Words("Label", "h.label")},
            link_key="h.attribute_id",
        )
    )
    references.register(
        Reference(
            "attribute",
            "type_attribute",
            "attribute_id",
            "product types",
            "NULL",
            double="EXISTS (SELECT 1 FROM type_attribute d WHERE d.type_id = w.type_id AND d.attribute_id = %(into)s)",
        ),
        Reference("attribute", "type_attribute", "when_attribute_id", "product types", "NULL"),
        Reference("attribute_choice", "type_attribute", "when_choice_id", "product types", "NULL"),
    )


def register_taggings() -> None:
    """Taggings come after all that can carry a tag."""
    carriers.register("brand", "Brands", records.kind_of("brand").describe)
    records.register(
        RecordKind(
            "tagging",
            "Tag put on",
            lambda tx, ids: {r["id"]: Shown(r["name"]) for r in store.taggings_by_ids(tx, ids)},
            plain="tagging",
            table="tagging o",
            key="o.id",
            version="o.version",
            fields={
                "tag_id": Column("o.tag_id", True, "tag"),
                "kind": Column("o.kind"),
                "record_id": Column("o.record_id", True),
            },
        )
    )
    references.register(
        Reference(
            "tag",
            "tagging",
            "tag_id",
            "records",
            "IF(o.kind = 'product', o.record_id, NULL)",
            double="EXISTS (SELECT 1 FROM tagging d WHERE d.tag_id = %(into)s AND d.kind = o.kind "
            "AND d.record_id = o.record_id)",
        )
    )


def finish_kinds() -> None:
    """With all references known: what is in use stays when its making is rolled back."""
    for kind, key in (("brand", "b.id"), ("tag", "g.id"), ("attribute_choice", "h.id")):
        records.amend(kind, removable=f"({references.unused(kind, key)})")
    for kind, key, child, column, child_kind in (
        ("type", "y.id", "type_attribute", "type_id", "type_attribute"),
        ("attribute", "a.id", "attribute_choice", "attribute_id", "attribute_choice"),
    ):
        # What hangs on the record goes first; in the dry run it is still there.
        unused = references.unused(kind, key)
        records.amend(
            kind,
            removable=f"({unused} AND NOT EXISTS (SELECT 1 FROM {child} n WHERE n.{column} = {key}))",
            foreseen=f"({unused} AND {_within_set(child, column, key, child_kind)})",
        )
