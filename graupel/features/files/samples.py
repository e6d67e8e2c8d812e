"""Sample files: the columns of a product type, to be filled in in a spreadsheet."""

import io

from graupel.context import Context
from graupel.core.attributes import Attribute, AttributeKind
from graupel.core.delivery import Way
from graupel.core.errors import NotFound
from graupel.core.file_columns import COLUMNS, TAGS, Known, fact_column
from graupel.core.product_types import Need, ProductType
from graupel.core.roles import Actor, Role
from graupel.db import Tx
from graupel.features.categories import service as categories
from graupel.features.files import known
from graupel.features.products.batch import named
from graupel.features.vocabulary import service as vocabulary
from graupel.tables import samples
from graupel.tables.samples import SampleColumn

#: The declared fields that most goods are made with; all others may stand in further columns.
FIELDS = (
    "sku", "code", "name", "category", "brand", "type", "price", "list_price", "cost", "weight_g", "gtin", "stock",
    "contents", "origin_country", "short_text", "description", "tax_class", "delivered",
)  # fmt: skip
#: Without these a product is not made, and not live.
NEEDED = {"sku": "in each row", "name": "for a new product", "price": "to go live", "category": "to go live"}
#: More than so many values are no list to choose from.
MOST_VALUES = 5_000


def types(ctx: Context, actor: Actor) -> list[tuple[int, str]]:
    """The product types of which there are sample files."""
    actor.require(Role.VIEWER)
    return [(one.id, one.name) for one in vocabulary.read(ctx).types.values()]


def write(ctx: Context, actor: Actor, type_id: int) -> tuple[str, bytes]:
    """The sample file of a type, 0 for all attributes: its name, and what it holds. Raises NotFound."""
    actor.require(Role.VIEWER)

    def read(tx: Tx) -> tuple[str, list[SampleColumn]]:
        kind = vocabulary.current(ctx, tx).types.get(type_id)
        if type_id and kind is None:
            raise NotFound(f"There is no product type {type_id}.")
        return kind.name if kind else "Goods", _columns(ctx, tx, known.load(ctx, tx), kind)

    title, columns = ctx.db.run(read)
    out = io.BytesIO()
    samples.write(out, "".join(sign for sign in title if sign not in "[]:*?/\\'") or "Goods", columns)
    return f"{title}.xlsx", out.getvalue()


def _columns(ctx: Context, tx: Tx, there: Known, kind: ProductType | None) -> list[SampleColumn]:
    values = _values(ctx, tx)
    found = [_declared(there, name, values.get(name, [])) for name in FIELDS]
    needs = {one.attribute.id: one.need is Need.ALWAYS for one in kind.attributes} if kind else None
    for name, attribute in there.attributes.items():
        if name == TAGS or needs is None or attribute.id in needs:
            found.append(_of_attribute(there, attribute, needed=bool((needs or {}).get(attribute.id))))
    return found


def _declared(there: Known, name: str, values: list[str]) -> SampleColumn:
    field = COLUMNS[name]
    help_text = field.file.help if field.file else ""
    needed = f" Needed {NEEDED[name]}." if name in NEEDED else ""
    note = f"{help_text[:1].upper()}{help_text[1:]}.{needed}"
    made = name in ("category", "brand")
    return SampleColumn(there.header(name), note, name in NEEDED, values, only=bool(values) and not made)


def _of_attribute(there: Known, attribute: Attribute, *, needed: bool) -> SampleColumn:
    name = fact_column(attribute.id)
    field = there.fields[name]
    help_text = attribute.help or (field.file.help if field.file else "")
    values = [choice.label for choice in attribute.choices][:MOST_VALUES]
    if attribute.kind is AttributeKind.YES_NO:
        values = ["yes", "no"]
    only = attribute.kind is AttributeKind.YES_NO
    note = f"{help_text[:1].upper()}{help_text[1:]}.{' Needed to go live.' if needed else ''}"
    return SampleColumn(there.header(name), note, needed, values, only)


def _values(ctx: Context, tx: Tx) -> dict[str, list[str]]:
    """By column what may be chosen."""
    found = {kind: named.names(tx, kind) for kind in ("brand", "type", "tax_class")}
    paths = [one.path for one in categories.current(ctx, tx) if not one.link]
    listed = {kind: list(names.values())[:MOST_VALUES] for kind, names in found.items()}
    return {**listed, "category": paths[:MOST_VALUES], "delivered": [str(one) for one in Way]}
