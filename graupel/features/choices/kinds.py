"""What the journal knows of buyer choices, what of them is translated, and what of them belongs to products."""

from graupel.core.declarations import choices as declared
from graupel.features.choices import store
from graupel.features.history import records
from graupel.features.history.records import RecordKind, Shown
from graupel.features.products import belonging
from graupel.features.products.belonging import Belonging
from graupel.features.vocabulary import references
from graupel.features.wording import originals
from graupel.features.wording.originals import Original

_PAGE = "/choices/{}"
_WITH_PRODUCT = "JSON_VALUE({side}, '$.product_id')"
_UP = "(SELECT up.product_id FROM buyer_choice up WHERE up.id = {id})"


def register_kinds() -> None:
    """Choices, their entries, and with which products they are asked."""
    records.register(
        RecordKind(
            declared.BUYER_CHOICE,
            lambda tx, ids: {r["id"]: Shown(r["name"], _PAGE.format(r["id"])) for r in store.names(tx, ids)},
        )
    )
    records.register(
        RecordKind(
            declared.CHOICE_ENTRY,
            lambda tx, ids: {
                r["id"]: Shown(r["label"] or r["choice"], _PAGE.format(r["buyer_choice_id"]))
                for r in store.entry_names(tx, ids)
            },
        )
    )
    records.register(
        RecordKind(
            declared.CHOICE_USE,
            lambda tx, ids: {
                r["id"]: Shown(r["choice"], f"/products/{r['product_id']}#choices") for r in store.use_names(tx, ids)
            },
        )
    )
    belonging.register(
        Belonging(
            "buyer_choice", "buyer_choice bc ON bc.product_id = {product}", "x.product_id", _WITH_PRODUCT, touches=False
        ),
        Belonging(
            "choice_entry",
            "buyer_choice above ON above.product_id = {product} "
            "STRAIGHT_JOIN choice_entry ce ON ce.buyer_choice_id = above.id",
            _UP.format(id="x.buyer_choice_id"),
            _UP.format(id="JSON_VALUE({side}, '$.buyer_choice_id')"),
            touches=False,
        ),
        Belonging("choice_use", "choice_use cu ON cu.product_id = {product}", "x.product_id", _WITH_PRODUCT),
    )


def finish_kinds() -> None:
    """With all areas known: a choice that is asked somewhere stays when its making is rolled back."""
    hangs = "EXISTS (SELECT 1 FROM choice_entry n WHERE n.buyer_choice_id = bc.id)"
    records.amend("buyer_choice", removable=f"({references.unused('buyer_choice', 'bc.id')} AND NOT {hangs})")


def register_words() -> None:
    """What of them buyers read."""
    originals.register(
        Original(
            "buyer_choice",
            "Buyer choices",
            "buyer_choice bc",
            "bc.id",
            "bc.name",
            _PAGE,
            originals.words_of(declared.BUYER_CHOICE),
        )
    )
    originals.register(
        Original(
            "choice_entry",
            "Entries of choices",
            "choice_entry ce JOIN buyer_choice bc ON bc.id = ce.buyer_choice_id",
            "ce.id",
            "CONCAT(bc.name, ': ', ce.label)",
            _PAGE,
            originals.words_of(declared.CHOICE_ENTRY),
            link_key="ce.buyer_choice_id",
        )
    )
