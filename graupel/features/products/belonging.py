"""What belongs to a product, beside its own record: the one list that following, removing and rolling back go by.

Later areas add to it what they keep of products.
"""

from dataclasses import dataclass

from graupel.core.declarations.products import RECORDS
from graupel.features.history import records
from graupel.features.history.records import RecordKind


@dataclass(frozen=True)
class Belonging:
    """One kind of record that belongs to products, or those of a kind that do.

    ``below``: SQL of joins that lead from a product's id, ``{product}``, to the records under the alias of their kind.
    ``owner``: SQL of the product's id from a record ``x``; ``said``: the same from the JSON ``{side}`` of a record
    that is gone. ``touches``: a change of it is a change of the product's page. ``goes``: it is removed with the
    product; what does not is not seen without it, and is there again with it.
    """

    kind: str
    below: str
    owner: str
    said: str
    touches: bool = True
    goes: bool = True

    @property
    def records_kind(self) -> RecordKind:
        """What the journal knows of it."""
        return records.kind_of(self.kind)


_BELONGING: list[Belonging] = []


def register(*belonging: Belonging) -> None:
    """Add what belongs to products, after what it refers to."""
    _BELONGING.extend(one for one in belonging if one not in _BELONGING)


def all_belonging() -> list[Belonging]:
    """What belongs to products, in the order of registering."""
    return list(_BELONGING)


_UP = "(SELECT up.product_id FROM {table} up WHERE up.id = {id})"


def _with_product_id(kind: str, table: str, alias: str, *, touches: bool = True) -> Belonging:
    below = f"{table} {alias} ON {alias}.product_id = {{product}}"
    return Belonging(kind, below, "x.product_id", "JSON_VALUE({side}, '$.product_id')", touches)


def _within(kind: str, alias: str, above: str, *, touches: bool = True) -> Belonging:
    """What belongs to a record that belongs to a product."""
    return Belonging(
        kind,
        f"{above} above ON above.product_id = {{product}} STRAIGHT_JOIN {kind} {alias} "
        f"ON {alias}.{above}_id = above.id",
        _UP.format(table=above, id=f"x.{above}_id"),
        _UP.format(table=above, id=f"JSON_VALUE({{side}}, '$.{above}_id')"),
        touches,
    )


def _on_record(kind: str, alias: str, of: str, *, touches: bool = True, goes: bool = False) -> Belonging:
    """What may be said of records of any kind, where it is said of products or of what belongs to one."""
    its = f"{alias}.kind = '{of}' AND {alias}.record_id"
    if of == "product":
        return Belonging(
            kind,
            f"{kind} {alias} ON {its} = {{product}}",
            "IF(x.kind = 'product', x.record_id, NULL)",
            "IF(JSON_VALUE({side}, '$.kind') = 'product', JSON_VALUE({side}, '$.record_id'), NULL)",
            touches,
            goes,
        )
    up = f"(SELECT up.product_id FROM {of} up WHERE {{kind}} = '{of}' AND up.id = {{id}})"
    return Belonging(
        kind,
        f"{of} above ON above.product_id = {{product}} STRAIGHT_JOIN {kind} {alias} ON {its} = above.id",
        up.format(kind="x.kind", id="x.record_id"),
        up.format(kind="JSON_VALUE({side}, '$.kind')", id="JSON_VALUE({side}, '$.record_id')"),
        touches,
        goes,
    )


def register_own() -> None:
    """What products themselves keep: attributes of theirs alone, what they are made of, tags and own values."""
    register(_with_product_id("attribute", "attribute", "a", touches=False))
    register(_within("attribute_choice", "h", "attribute", touches=False))
    for record in RECORDS:
        if record.parent == "product":
            register(_with_product_id(record.name, record.plain, record.alias))
        elif record.parent:
            register(_within(record.name, record.alias, record.parent))
    register(
        _on_record("tagging", "o", "product", goes=True),
        _on_record("own_value", "ow", "product"),
        _on_record("own_value", "ow", "variant"),
        _on_record("own_value", "ow", "picture", touches=False),
    )
