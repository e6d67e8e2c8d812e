"""The product's form: what stands in its fields, and what was typed into them."""

from collections.abc import Mapping
from contextlib import suppress
from dataclasses import dataclass, field, replace
from itertools import zip_longest
from typing import Any

from starlette.datastructures import FormData

from graupel.context import Context
from graupel.core import product_fields
from graupel.core import products as rules
from graupel.core.attributes import Attribute, Fact, show_fact
from graupel.core.pictures import Picture
from graupel.core.problems import Problem
from graupel.core.products import ProductValues, Status
from graupel.core.quantities import format_weight
from graupel.core.sent import read_json
from graupel.core.typed import number
from graupel.features.destinations import service as destinations
from graupel.features.media import service as media_service
from graupel.features.media.service import Media
from graupel.features.products.service import Product

#: Fields of one line of text each, of several values each, and switches.
SINGLE = (
    "name", "code", "type_id", "sku", "price", "list_price", "cost", "stock", "weight_g", "origin_country",
    "category_id", "brand", "mpn",
    "gtin", "short_text", "description", "key_points", "address_part", "canonical", "meta_title", "meta_description",
)  # fmt: skip
SEVERAL = ("categories", "tags")
SWITCHES = ("sells_without_stock",)


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
        "sells_without_stock": "yes" if values.sells_without_stock else "",
    }
    facts = ((known[key], fact) for key, fact in values.facts.items() if key in known)
    return texts | {f"fact-{attribute.id}": _fact_texts(attribute, fact) for attribute, fact in facts}


def _fact_texts(attribute: Attribute, fact: Fact) -> list[str]:
    return [str(one) for one in fact.choices] if attribute.has_choices else [_bare(attribute, fact)]


def _bare(attribute: Attribute, fact: Fact) -> str:
    return fact.text if fact.quantity is None else show_fact(attribute, fact)


def read(
    ctx: Context, form: FormData, start: ProductValues | None, known: Mapping[int, Attribute]
) -> tuple[Typed, ProductValues]:
    """What was typed, and the values it stands for; problems are collected in the former."""
    raw = _raw(form)
    status = str(form.get("then") or form.get("status") or Status.DRAFT)
    currencies = destinations.read_all(ctx).currencies
    reading = product_fields.read({**raw, "status": status}, ctx.settings.currency, start, known, currencies)
    for place, problem in enumerate(reading.problems):
        if (problem.field or "").startswith("own-"):
            reading.problems[place] = replace(problem, field=str(problem.field).rpartition(".")[2])
    files = media_service.read_many(ctx, [picture.media_id for picture in raw["pictures"]])
    shown = [(files[p.media_id], p) for p in raw["pictures"] if p.media_id in files]
    fields = texts_of(start or ProductValues(), known) | {
        name: value for name, value in raw.items() if name != "pictures"
    }
    typed = Typed(fields, shown, reading.values.status, _version(form), seen_in(form), _chosen(form), reading.problems)
    return typed, replace(reading.values, pictures=tuple(p for p in reading.values.pictures if p.media_id in files))


def _raw(form: FormData) -> dict[str, Any]:
    """The fields that the form has. Of those with several values or none, "has" says that they were on the page."""
    raw: dict[str, Any] = {name: str(form.get(name, "")) for name in SINGLE if name in form}
    raw |= {name: str(value) for name, value in form.items() if name.startswith("own-")}
    on_page = {str(name) for name in form.getlist("has")}
    for name in on_page:
        values = [str(value) for value in form.getlist(name)]
        if name in SEVERAL or name.startswith("fact-"):
            raw[name] = values
        elif name in SWITCHES:
            raw[name] = values[0] if values else ""
    raw["pictures"] = _pictures_typed(form)
    return raw | _choices(form)


def _pictures_typed(form: FormData) -> list[Picture]:
    """One value each of picture, alt, title and belongs ("c12 v7") for each picture, in their order."""
    columns = [[str(value) for value in form.getlist(name)] for name in ("picture", "alt", "title", "belongs")]
    return [
        Picture(key, alt, title, *belongs_of(belongs))
        for media_id, alt, title, belongs in zip_longest(*columns, fillvalue="")
        if (key := number(media_id)) is not None
    ]


def belongs_of(text: str) -> tuple[tuple[int, ...], tuple[int, ...]]:
    """ "c12 c14 v7" as the ids of choices and of variants."""
    found: dict[str, list[int]] = {"c": [], "v": []}
    for word in text.split():
        key = number(word[1:])
        if word[:1] in found and key is not None:
            found[word[0]].append(key)
    return tuple(found["c"]), tuple(found["v"])


def _choices(form: FormData) -> dict[str, Any]:
    """Fields in which the person chose the other's value, in the form's terms; what our page did not write is left."""
    theirs = {}
    for key, value in form.items():
        name = key.removeprefix("theirs_")
        if key != name and form.get(f"choose_{name}") == "theirs":
            with suppress(ValueError, TypeError):
                theirs[name] = _as_in_form(name, read_json(str(value)))
    return theirs


def _as_in_form(name: str, value: Any) -> Any:
    """A field's value as the form has it. Raises ValueError or TypeError where it is none of this field."""
    if name == "pictures":
        return [rules.picture_of_plain(one) for one in value]
    several = name in SEVERAL or name.startswith("fact-")
    if isinstance(value, list) != several or not all(isinstance(one, str) for one in (value if several else [value])):
        raise TypeError(name)
    return value


def seen_in(form: FormData) -> dict[str, Any]:
    """The values as they were when the form was made."""
    try:
        seen = read_json(str(form.get("seen", "{}")))
        return seen if isinstance(seen, dict) else {}
    except ValueError:
        return {}  # a form that our page did not make


def _version(form: FormData) -> int | None:
    found = str(form.get("version", ""))
    return number(found)


def _chosen(form: FormData) -> dict[str, str]:
    """The fields of which somebody said whose value is to stay."""
    return {
        key.removeprefix("choose_"): str(value)
        for key, value in form.items()
        if key.startswith("choose_") and value in ("mine", "theirs")
    }


def settled(form: FormData) -> dict[str, str]:
    """The same fields, with the mark of the other's value that was shown beside one's own."""
    return {name: str(form.get(f"theirs-mark_{name}", "")) for name in _chosen(form)}
