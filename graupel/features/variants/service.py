"""What making, taking away and setting variants share."""

from graupel.context import Context
from graupel.core.errors import NotFound
from graupel.core.variants import Holding
from graupel.db import Tx
from graupel.features.products import claims
from graupel.features.products import service as products
from graupel.features.products import store as product_store
from graupel.features.products.service import Product
from graupel.features.variants import store


def holdings(tx: Tx, product: Product) -> list[Holding]:
    """The product's variants as far as a change of axes must know them."""
    held = claims.claimed_variants(tx, product.id)
    return [
        Holding(v.id, v.sku, v.combination, v.stock, v.id in held, bool(v.reserved), v.archived)
        for v in product.variants
    ]


def load_product_of(ctx: Context, tx: Tx, variant_id: int, *, lock: bool = False) -> Product:
    """The product of a variant. Raises NotFound."""
    product_id = product_store.product_of_variant(tx, variant_id)
    if product_id is None:
        raise NotFound(f"There is no variant {variant_id}.")
    return products.load(ctx, tx, product_id, lock=lock)


def texts_of(ctx: Context, variant_id: int) -> dict[str, str]:
    """A variant's own name and short text, "" where it takes its product's."""
    row = ctx.db.run(lambda tx: store.texts(tx, [variant_id], ctx.settings.language)).get(variant_id)
    return {name: row[name] if row else "" for name in ("name", "short_text")}
