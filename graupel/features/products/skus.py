"""SKUs: each belongs to one variant, also after that is gone; those of goods that were never live are free then."""

import re
import unicodedata
from collections.abc import Mapping, Sequence
from typing import Any

from graupel.core.errors import Refused
from graupel.core.identifiers import free_number
from graupel.core.problems import Problem
from graupel.db import Tx
from graupel.features.history import following
from graupel.features.history.following import Recorded
from graupel.features.products import store
from graupel.features.products.rows import SkuOwnerRow
from graupel.features.products.summary import ProductsAtHand

#: The SKUs of the variants that a change set wrote.
_GIVEN = """SELECT v.sku, v.id AS variant_id FROM change_row r JOIN variant v ON v.id = r.record_id
            WHERE r.change_set_id = %(set)s AND r.record_kind = 'variant'"""

#: The SKUs that it took from variants whose products were live once: somebody outside may know them. All others are
#: free, so that a file that was rolled back can be brought in again.
_LEFT = """SELECT JSON_VALUE(r.was, '$.sku'), r.record_id FROM change_row r
           LEFT JOIN variant v ON v.id = r.record_id
           JOIN product p ON p.id = COALESCE(v.product_id, JSON_VALUE(r.was, '$.product_id')) AND p.was_live
           WHERE r.change_set_id = %(set)s AND r.record_kind = 'variant' AND JSON_EXISTS(r.was, '$.sku')
             AND NOT (v.sku <=> JSON_VALUE(r.was, '$.sku'))"""


def suggest(name: str) -> str:
    """The beginnings of a name's first words: FEL-ARA-TWE."""
    plain = unicodedata.normalize("NFKD", name.replace("ß", "ss")).encode("ascii", "ignore").decode()
    words = re.findall(r"[A-Za-z0-9]+", plain)
    return "-".join(word[:3].upper() for word in words[:3]) or "SKU"


def free(tx: Tx, sku: str) -> str:
    """The SKU, or with a running number behind it, that was never given."""
    if not store.was_given(tx, sku):
        return sku
    return f"{sku}-{free_number(lambda number: store.was_given(tx, f'{sku}-{number}'))}"


def problems(tx: Tx, wanted: Sequence[tuple[str, int | None]], lang: str) -> list[Problem]:
    """Which of the SKUs can't be given to the variant beside it (None: a new one), and whose they are."""
    owners = store.owners_of_skus(tx, [sku for sku, _ in wanted], lang)
    found = []
    for sku, variant_id in wanted:
        owner = owners.get(sku.upper())
        if owner is None or owner["variant_id"] == variant_id:
            continue
        found.append(Problem("sku.taken", _whose(sku, owner), "sku"))
    return found


def _whose(sku: str, owner: SkuOwnerRow) -> str:
    if owner["name"] is None:
        return f"The SKU {sku} belonged to a variant that is gone, and is not given again. Choose another."
    if str(owner["current"]).upper() != sku.upper():
        return f"The SKU {sku} was one of “{owner['name']}” before, and is not given again. Choose another."
    return f"The SKU {sku} belongs to “{owner['name']}” already. Choose another."


def follow(tx: Tx, recorded: Recorded) -> None:
    """After a change set: note what variants were called before it. Raises Refused where it gave one what another
    was called before."""
    known = [one for one in recorded.handed_on if isinstance(one, ProductsAtHand)]
    for one in known:
        _refuse_given(tx, one.given, one.params)
    if not known and recorded.wrote.any_of("variant", ("sku",)):
        params = {"set": recorded.change_set_id}
        tx.run(f"INSERT IGNORE INTO former_sku (sku, variant_id) {_LEFT}", params)
        _refuse_given(tx, _GIVEN, params)


def _refuse_given(tx: Tx, given: str, params: Mapping[str, Any]) -> None:
    """Refuse SKUs that another variant had; ``given``: a SELECT of sku and variant_id.

    They are looked for once they are written: whoever gives one up at this moment has ended before it could be.
    """
    taken = tx.all(
        f"""SELECT given.sku FROM ({given}) given JOIN former_sku g ON g.sku = given.sku
            WHERE g.variant_id <> given.variant_id LIMIT 3""",
        params,
    )
    if taken:
        names = ", ".join(row["sku"] for row in taken)
        raise Refused.because(
            "sku.given_before", f"{names} belonged to another variant before, and is not given again.", "sku"
        )


def register() -> None:
    """Follow every change set."""
    following.on_recorded(follow)


def code_problem(tx: Tx, code: str, owner: int, lang: str) -> Problem:
    """Why a product code that another product has can't be given."""
    named = store.names(tx, [owner], lang)
    of = f"“{named[0]['name']}”" if named else "another product"
    return Problem("code.taken", f"The product code {code} belongs to {of} already.", "code")


def others_with_gtin(tx: Tx, gtins: Sequence[str], product_id: int) -> list[tuple[str, str]]:
    """GTINs among these that variants of other products have, with the name of one of them."""
    if not gtins:
        return []
    rows = tx.all(
        """SELECT v.gtin, MIN(t.name) AS name FROM variant v JOIN product_text t ON t.product_id = v.product_id
           WHERE v.gtin IN %s AND v.product_id <> %s AND NOT v.archived GROUP BY v.gtin LIMIT 5""",
        [list(gtins), product_id],
    )
    return [(row["gtin"], row["name"]) for row in rows]
