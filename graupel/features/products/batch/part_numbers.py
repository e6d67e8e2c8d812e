"""Part numbers of a batch: the product holds that of its only variant, where it varies each variant has its own."""

from collections.abc import Mapping
from typing import Any

from graupel.db import Tx
from graupel.features.history import journal, records
from graupel.features.products.columns import VARIES

MPN = "mpn"
_VARIES = VARIES.format(product="p.id")
#: SQL: what holds for a variant.
HELD = f"IF({_VARIES}, v.mpn, p.mpn)"


def said(*, cleared: bool) -> str:
    """SQL: what a row says; ``cleared``: an empty cell empties it."""
    return "COALESCE(b.mpn, '')" if cleared else "b.mpn"


def differs(*, cleared: bool) -> str:
    """SQL: a row says another one than what holds."""
    other = f"NOT (BINARY {said(cleared=cleared)} <=> BINARY {HELD})"
    return f"({other})" if cleared else f"(b.mpn IS NOT NULL AND {other})"


def change(
    tx: Tx, params: Mapping[str, Any], joined: str, where: str, others: tuple[str, str], *, cleared: bool
) -> None:
    """Write those that differ, each where it stands; ``others``: SQL of whether anything else of a product, and of a
    variant, is written after it, which moves its version then."""
    placed = (("product", "p", f"NOT {_VARIES}"), ("variant", "v", _VARIES))
    for (name, alias, stands), other in zip(placed, others, strict=True):
        kind = records.kind_of(name)
        those = f"{where} AND {stands} AND {differs(cleared=cleared)}"
        became = {MPN: said(cleared=cleared)}
        changed = journal.write(
            tx, params["set"], kind, joined, those, params, was={MPN: f"{alias}.mpn"}, became=became
        )
        if changed:
            moves = f"{kind.version} = {kind.version} + (NOT {other}) {kind.touch}"
            sets = f"{alias}.mpn = {said(cleared=cleared)}, {moves}"
            tx.run(f"UPDATE {joined} SET {sets} WHERE {those}", params)


#: SQL: a product differs by something from then on: a new one, or one that starts to vary.
_NEW_VARIES = "EXISTS (SELECT 1 FROM batch_axis a WHERE a.batch_id = b.batch_id AND a.line = COALESCE(b.lead, b.line))"
#: SQL of that of a new product, of one whose rows have a code, and of a new variant of such a one.
OF_ALONE = "COALESCE(b.mpn, '')"
OF_CODED = f"""IF({_NEW_VARIES}, '', COALESCE((SELECT MAX(o.mpn) FROM batch_row o WHERE o.batch_id = b.batch_id
               AND o.action = 'new' AND (o.line = b.line OR o.lead = b.line)), ''))"""
OF_VARIANT = f"IF({_NEW_VARIES} OR {VARIES.format(product='b.product_id')}, {OF_ALONE}, '')"
