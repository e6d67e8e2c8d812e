"""The product's form: what stands in its fields, and what was typed into them."""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from decimal import Decimal
from typing import Any

from graupel.context import Context
from graupel.core import product_fields, stock
from graupel.core import products as rules
from graupel.core.attributes import Attribute, Fact, show_fact
from graupel.core.errors import Refused
from graupel.core.pictures import Picture
from graupel.core.problems import Problem
from graupel.core.products import ProductValues, Status
from graupel.core.quantities import format_weight
from graupel.features.destinations import service as destinations
from graupel.features.media import service as media_service
from graupel.features.media.service import Media
from graupel.features.products.page_schemas import SINGLE, ProductTyped
from graupel.features.products.service import Product


@dataclass
class Typed:
    """What stands in the editor's fields: text as typed, pictures, and what is wrong with it.

    ``version`` and ``seen``: of the product as the page began with it (products.flat); ``chosen``: "mine" or "theirs"
    for fields that somebody else changed too.
    """

    fields: dict[str, Any]
    pictures: list[tuple[Media, Picture]]
    status: Status = Status.DRAFT
    version: int | None = None
    seen: dict[str, Any] = field(default_factory=dict)
    chosen: dict[str, str] = field(default_factory=dict)
    problems: list[Problem] = field(default_factory=list)
    stocked: stock.Typed | None = None

    def fact(self, attribute_id: int) -> list[str]:
        """What is typed or chosen for an attribute."""
        found: list[str] = self.fields.get(f"fact-{attribute_id}", [])
        return found


def typed_of(product: Product) -> Typed:
    """What stands in the fields of a product as it is kept."""
    values = product.values
    known = product.vocabulary.attributes if product.vocabulary else {}
    return Typed(
        texts_of(values, known),
        list(zip(product.pictures, values.pictures, strict=True)),
        values.status,
        product.version,
        rules.flat(values),
    )


def texts_of(values: ProductValues, known: Mapping[int, Attribute]) -> dict[str, Any]:
    """The values as the form's fields have them."""
    plain = rules.flat(values)
    texts: dict[str, Any] = {name: "" if plain[name] is None else str(plain[name]) for name in SINGLE}
    texts |= {
        "weight_g": format_weight(values.weight_g),
        "origin_country": values.origin_country or "",
        "key_points": "\n".join(values.key_points),
        "categories": [str(one) for one in values.categories],
        "tags": list(values.tags),
        **{name: "yes" if getattr(values, name) else "" for name in rules.SWITCHES},
    }
    facts = ((known[key], fact) for key, fact in values.facts.items() if key in known)
    return texts | {f"fact-{attribute.id}": _fact_texts(attribute, fact) for attribute, fact in facts}


def _fact_texts(attribute: Attribute, fact: Fact) -> list[str]:
    return [str(one) for one in fact.choices] if attribute.has_choices else [_bare(attribute, fact)]


def _bare(attribute: Attribute, fact: Fact) -> str:
    return fact.text if fact.quantity is None else show_fact(attribute, fact)


def read(
    ctx: Context, form: ProductTyped, start: ProductValues | None, known: Mapping[int, Attribute]
) -> tuple[Typed, ProductValues]:
    """What was typed, and the values it stands for; problems are collected in the former."""
    raw, stock_typed, wrong = dict(form.raw), None, []
    if "stock" in raw:
        text = raw.pop("stock")
        shown = form.seen.get("stock")
        try:
            stock_typed = _stock(text, Decimal(shown) if shown else None)
        except Refused as refusal:
            wrong = [problem.at(field="stock") for problem in refusal.problems]
    status = str(form.then or form.status or Status.DRAFT)
    currencies = destinations.read_all(ctx).currencies
    reading = product_fields.read({**raw, "status": status}, ctx.settings.currency, start, known, currencies)
    for place, problem in enumerate(reading.problems):
        if (problem.field or "").startswith("own-"):
            reading.problems[place] = replace(problem, field=str(problem.field).rpartition(".")[2])
    files = media_service.read_many(ctx, [picture.media_id for picture in raw["pictures"]])
    shown = [(files[p.media_id], p) for p in raw["pictures"] if p.media_id in files]
    fields = texts_of(start or ProductValues(), known) | {
        name: value for name, value in form.raw.items() if name != "pictures"
    }
    typed = Typed(
        fields, shown, reading.values.status, form.version, form.seen, dict(form.choose), wrong + reading.problems
    )
    typed.stocked = stock_typed
    there = _there(start, stock_typed)
    pictured = tuple(p for p in reading.values.pictures if p.media_id in files)
    return typed, replace(reading.values, pictures=pictured, stock=there)


def _stock(text: str, shown: Decimal | None) -> stock.Typed | None:
    """What was typed of the stock; None where nothing was there, and nothing is typed."""
    return stock.parse(text, shown) if text.strip() or shown is not None else None


def _there(start: ProductValues | None, typed: stock.Typed | None) -> Decimal | None:
    """What is there by what was typed, as far as the page knows."""
    held = start.stock if start else None
    if typed is None:
        return held
    if typed.how is stock.How.NOT_COUNTED:
        return None
    return (held or Decimal(0)) + typed.change(held or Decimal(0))
