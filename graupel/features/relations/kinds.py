"""What the journal knows of relations, what of them is translated, and what of them belongs to products."""

from graupel.core.declarations import relations as declared
from graupel.features.history import records
from graupel.features.history.records import RecordKind, Shown
from graupel.features.products import belonging
from graupel.features.products.belonging import Belonging
from graupel.features.relations import store
from graupel.features.vocabulary import references
from graupel.features.wording import originals
from graupel.features.wording.originals import Original


def register_kinds(language: str) -> None:
    """Kinds of relation, and relations."""
    records.register(
        RecordKind(
            declared.RELATION_KIND,
            lambda tx, ids: {r["id"]: Shown(r["name"], "/relations") for r in store.kind_names(tx, ids)},
        )
    )
    records.register(
        RecordKind(
            declared.RELATION,
            lambda tx, ids: {
                r["id"]: Shown(f"{r['kind']}: {r['other'] or 'gone'}", f"/products/{r['product_id']}#relations")
                for r in store.relation_names(tx, ids, language)
            },
        )
    )
    records.register(
        RecordKind(
            declared.RELATION_RULE,
            lambda tx, ids: {
                r["id"]: Shown(f"{r['kind']}: {r['of_name'] or 'gone'}, {r['other_name'] or 'gone'}", "/relations")
                for r in store.rule_names(tx, ids)
            },
        )
    )
    said = "JSON_VALUE({side}, '$.product_id')"
    belonging.register(Belonging("relation", "relation re ON re.product_id = {product}", "x.product_id", said))


def finish_kinds() -> None:
    """With all areas known: a kind by which something is related stays when its making is rolled back."""
    records.amend("relation_kind", removable=references.unused("relation_kind", "rk.id"))


def register_words() -> None:
    """What of them buyers read."""
    originals.register(
        Original(
            "relation_kind",
            "Kinds of relation",
            "relation_kind rk",
            "rk.id",
            "rk.name",
            "/relations",
            originals.words_of(declared.RELATION_KIND),
        )
    )
