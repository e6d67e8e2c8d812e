"""Kits as they are kept: their parts with what these are called, cost and weigh, and what of them can be had."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal

from graupel.context import Context
from graupel.core import kits as rules
from graupel.core import products as product_rules
from graupel.core.choices import Choice
from graupel.core.kits import Makes, Part, PricedBy
from graupel.core.price_rules import decimals
from graupel.core.products import Status
from graupel.core.resolve import Lens, inherited
from graupel.db import Tx
from graupel.features.kits import store
from graupel.features.kits.rows import KitRow, PartRow
from graupel.features.products import many, selling
from graupel.features.products import service as products
from graupel.features.vocabulary import service as vocabulary
from graupel.features.wording import service as wording


@dataclass(frozen=True)
class Kit:
    """What a product is made of. ``labels``: by the first part of a pick what buyers read of it through the lens."""

    product_id: int
    parts: Sequence[Part]
    priced_by: PricedBy = PricedBy.OWN
    percent: Decimal = Decimal(0)
    currency: str = "EUR"
    labels: Mapping[int, str] | None = None

    @property
    def price(self) -> Decimal | None:
        """The sum of its parts less its percent; None where one of them has no price."""
        return rules.price(self.parts, self.percent, decimals(self.currency))

    @property
    def weight_g(self) -> int | None:
        """What its parts weigh."""
        return rules.weight_g(self.parts)

    @property
    def makes(self) -> Makes:
        """How many its parts make."""
        return rules.makes(self.parts)

    @property
    def picks(self) -> list[Choice]:
        """What buyers pick in it, as choices."""
        return rules.picks(self.parts, self.priced_by, self.percent, self.labels or {}, decimals(self.currency))


def of_products(ctx: Context, tx: Tx, product_ids: Sequence[int], lens: Lens) -> dict[int, Kit]:
    """Those of some products that are kits, in the words of a lens; amounts are the catalogue's."""
    if not tx.remembered("any kit", lambda: tx.value("SELECT 1 FROM kit_part LIMIT 1")):
        return {}
    rows = store.parts(tx, product_ids)
    if not rows:
        return {}
    said, named = store.kits(tx, sorted({row["product_id"] for row in rows})), _named(ctx, tx, rows, lens)
    labels = wording.in_lens(tx, "kit_part", "pick", lens) if lens.lang else {}
    found: dict[int, list[Part]] = {}
    for row in rows:
        found.setdefault(row["product_id"], []).append(_part(row, named))
    return {key: _kit(ctx, key, parts, said.get(key), labels) for key, parts in found.items()}


def of_product(ctx: Context, tx: Tx, product_id: int, lens: Lens) -> Kit:
    """What a product is made of; of nothing where it is no kit."""
    found = of_products(ctx, tx, [product_id], lens).get(product_id)
    return found or _kit(ctx, product_id, (), store.kits(tx, [product_id]).get(product_id), {})


def _kit(ctx: Context, key: int, parts: Sequence[Part], row: KitRow | None, labels: Mapping[int, str]) -> Kit:
    priced_by = PricedBy(row["priced_by"]) if row else PricedBy.OWN
    return Kit(key, tuple(parts), priced_by, row["percent"] if row else Decimal(0), ctx.settings.currency, labels)


def parts_of(ctx: Context, tx: Tx, rows: Sequence[PartRow], lens: Lens) -> list[Part]:
    """Rows as parts, with what is known of their variants."""
    named = _named(ctx, tx, rows, lens)
    return [_part(row, named) for row in rows]


def _part(row: PartRow, named: Mapping[int, Part]) -> Part:
    known = named.get(row["variant_id"]) or Part(0, row["variant_id"], Decimal(1), gone=True)
    return replace(known, id=row["id"], quantity=row["quantity"], pick=row["pick"])


def _named(ctx: Context, tx: Tx, rows: Sequence[PartRow], lens: Lens) -> dict[int, Part]:
    """What is known of the variants that rows name, by variant."""
    return variants(ctx, tx, sorted({row["variant_id"] for row in rows}), lens)


def variants(ctx: Context, tx: Tx, variant_ids: Sequence[int], lens: Lens) -> dict[int, Part]:
    """Variants as parts of which a kit has one; those that are not there are left out."""
    words = vocabulary.through(ctx, tx, lens)
    found: dict[int, Part] = {}
    for product in many.load_wanted(ctx, tx, variant_ids).values():
        sells = selling.of_product(ctx, tx, product).sells
        for one in product.variants:
            its_own = sells.get(one.id)
            found[one.id] = Part(
                0,
                one.id,
                Decimal(1),
                "",
                product_rules.seen(product.values, lens).name,
                products.choice_labels(product, one, words),
                one.sku,
                product.id,
                inherited(one.price, product.values.price),
                inherited(one.weight_g, product.values.weight_g),
                its_own.ready if its_own else None,
                its_own.most if its_own else None,
                its_own is None or product.values.status is Status.ARCHIVED,
            )
    return found
