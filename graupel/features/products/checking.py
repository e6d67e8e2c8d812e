"""What keeps a product's values from being saved."""

from graupel.context import Context
from graupel.core import kits, ordering, product_types, products
from graupel.core.errors import Refused
from graupel.core.problems import Problem
from graupel.core.products import ProductValues, Status
from graupel.db import Tx
from graupel.features.categories import service as categories
from graupel.features.products import pictures, service, skus, store
from graupel.features.products.service import Product
from graupel.features.terms import sells_sql
from graupel.features.vocabulary import service as vocabulary
from graupel.features.vocabulary.service import Vocabulary


def check(ctx: Context, values: ProductValues, product_id: int | None = None) -> list[Problem]:
    """What keeps these values from being saved; ``product_id``: the product they are for, where it is there."""

    def work(tx: Tx) -> list[Problem]:
        current = service.load(ctx, tx, product_id) if product_id else None
        words = current.vocabulary if current else vocabulary.current(ctx, tx)
        assert words is not None
        return _problems(ctx, tx, values, current, words)

    return ctx.db.run(work)


def refuse_problems(ctx: Context, tx: Tx, values: ProductValues, current: Product | None, words: Vocabulary) -> None:
    """Raises Refused where something keeps these values from being saved."""
    problems = _problems(ctx, tx, values, current, words)
    if problems:
        raise Refused(problems)


def _problems(ctx: Context, tx: Tx, values: ProductValues, current: Product | None, words: Vocabulary) -> list[Problem]:
    problems = products.problems_of(values, current.unpriced if current else None)
    if values.status is Status.LIVE:
        differs_by = current.differs_by if current else ()
        problems += product_types.lacking(words.type_of(values.type_id), values.facts, differs_by)
    if current and current.varies and (values.sku or values.gtin or values.elsewhere or values.stock is not None):
        problems.append(
            Problem(
                "variant.own",
                "This product varies: SKU, GTIN, ids elsewhere and stock belong to each of its variants.",
                "sku",
            )
        )
    if current and current.made:
        problems += _of_kit(tx, values, current)
    only = current.variants[0].id if current and not current.varies and current.variants else None
    problems += ordering.problems({name: getattr(values, name) for name in ordering.FIELDS})
    if values.sku:
        problems += skus.problems(tx, [(values.sku, only)], ctx.settings.language)
    if values.code and (other := store.owner_of_code(tx, values.code)) and other != (current.id if current else None):
        problems.append(skus.code_problem(tx, values.code, other, ctx.settings.language))
    tree = categories.current(ctx, tx)
    for name, ids in (("category_id", (values.category_id,)), ("categories", values.categories)):
        if any(category_id is not None and category_id not in tree.by_id for category_id in ids):
            problems.append(Problem("category.unknown", "This category is not there any more. Choose another.", name))
    if values.type_id is not None and values.type_id not in words.types:
        problems.append(Problem("type.unknown", "This product type is not there any more. Choose another.", "type_id"))
    variants = current.variants if current else ()
    return problems + pictures.problems(tx, values.pictures, {variant.id for variant in variants}, words)


def _of_kit(tx: Tx, values: ProductValues, current: Product) -> list[Problem]:
    """Of a kit stock follows from its parts, and so does the price where that was said."""
    found = []
    if values.stock is not None and values.stock != current.values.stock:
        found.append(kits.FOLLOWS["stock"])
    if values.price != current.values.price and sells_sql.priced_by_parts(tx, current.id):
        found.append(kits.FOLLOWS["price"])
    return found
