"""What the journal knows of kits, what of them is translated, and what of them belongs to products."""

from graupel.core.declarations import kits as declared
from graupel.features.history import records
from graupel.features.history.records import RecordKind, Shown
from graupel.features.kits import store
from graupel.features.products import belonging
from graupel.features.products.belonging import Belonging
from graupel.features.wording import originals
from graupel.features.wording.originals import Original

_PAGE = "/products/{}#kit"
_WITH_PRODUCT = "JSON_VALUE({side}, '$.product_id')"


def register_kinds(language: str) -> None:
    """How kits are priced, and their parts."""
    records.register(
        RecordKind(
            declared.KIT,
            lambda tx, ids: {
                r["id"]: Shown(r["kit"] or "a kit", _PAGE.format(r["product_id"]))
                for r in store.kit_names(tx, ids, language)
            },
        )
    )
    records.register(
        RecordKind(
            declared.KIT_PART,
            lambda tx, ids: {
                r["id"]: Shown(f"{r['part'] or 'gone'} {r['sku'] or ''}".strip(), _PAGE.format(r["product_id"]))
                for r in store.part_names(tx, ids, language)
            },
        )
    )
    belonging.register(
        Belonging("kit", "kit kt ON kt.product_id = {product}", "x.product_id", _WITH_PRODUCT),
        Belonging("kit_part", "kit_part kp ON kp.product_id = {product}", "x.product_id", _WITH_PRODUCT),
    )


def register_words() -> None:
    """What of them buyers read."""
    originals.register(
        Original(
            "kit_part",
            "Picks of kits",
            "kit_part kp",
            "kp.id",
            "kp.pick",
            _PAGE,
            originals.words_of(declared.KIT_PART),
            link_key="kp.product_id",
        )
    )
