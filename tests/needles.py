"""A product that varies, for tests of many areas: needles in three colours and two sizes."""

from decimal import Decimal

import pytest

from graupel.core.attributes import AttributeKind
from graupel.core.roles import SYSTEM
from graupel.core.variants import label_of
from graupel.features.products import service as products
from graupel.features.variants import making
from graupel.features.variants.making import Wish
from graupel.features.vocabulary import attributes
from graupel.features.vocabulary.attributes import Definition
from tests.making import make_product


@pytest.fixture
def colour(ctx):
    made = attributes.make(
        ctx, SYSTEM, Definition("Colour", AttributeKind.COLOUR, choices=["Heather", "Oat", "Rust", "Peat"])
    )
    return attributes.read(ctx, SYSTEM, made.id).attribute


@pytest.fixture
def size(ctx):
    made = attributes.make(ctx, SYSTEM, Definition("Size", AttributeKind.ONE_CHOICE, choices=["3 mm", "4 mm", "5 mm"]))
    return attributes.read(ctx, SYSTEM, made.id).attribute


def wish(*axes, **more) -> Wish:
    """What a product is to differ by: (attribute, labels); the first label is what the existing variants get."""
    pairs = [(a.id, tuple(c.id for c in a.choices if c.label in labels)) for a, labels in axes]
    given = {a.id: next(c.id for c in a.choices if c.label == labels[0]) for a, labels in axes}
    return Wish(tuple(pairs), given, **more)


@pytest.fixture
def needles(ctx, colour, size):
    """Six variants: three colours by two sizes; price, weight and stock as they were before it varied."""
    product_id = make_product(ctx, "NDL", price=Decimal("6.40"), stock=7, gtin="9521234567899", mpn="N-1", code="NDL")
    making.make(ctx, SYSTEM, product_id, wish((colour, ["Heather", "Oat", "Rust"]), (size, ["3 mm", "4 mm"])))
    return product_id


def by_label(ctx, product_id):
    """Its variants by what they are called."""
    product = products.read(ctx, SYSTEM, product_id)
    return {label_of(product.axes, v.combination): v for v in product.variants}
