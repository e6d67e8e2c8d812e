"""The product editor as its templates draw it."""

import json
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from graupel.context import Context
from graupel.core import readiness, units
from graupel.core.attributes import KIND_WORDS
from graupel.core.media import ENDINGS
from graupel.core.pictures import Picture
from graupel.core.problems import Problem, by_field
from graupel.core.readiness import Finding
from graupel.core.roles import Identity, Role
from graupel.core.variants import label_of
from graupel.features.categories import service as categories
from graupel.features.categories.tree import Tree
from graupel.features.destinations.service import Seen
from graupel.features.history import service as history
from graupel.features.history.rows import TrailRow
from graupel.features.prepared import service as prepared
from graupel.features.prepared.rows import PreparedRow
from graupel.features.products import facts, lensing, meeting, mirrors, parts, saving
from graupel.features.products.facts import Sheet
from graupel.features.products.forms import Typed
from graupel.features.products.meeting import ConflictShown
from graupel.features.products.mirrors import Look
from graupel.features.products.parts import EditorPart
from graupel.features.products.saving import SaveConflict
from graupel.features.products.service import Product
from graupel.features.vocabulary import service as vocabulary
from graupel.features.vocabulary.service import Vocabulary
from graupel.features.wording.lensing import FieldSeen

_PRICED = (
    *("price", "list_price", "cost", "suggested_price", "tax_class_id", "contents", "priced_per"),
    *("weight_g", "origin_country"),
)
_STOCKED = (
    *("stock", "sells", "at_zero", "zero_limit", "held_back", "least_stock", "low_stock", "back_on", "coming_on"),
    *("order_least", "order_most", "order_step", "sold_in"),
)
#: The editor's own parts: key, label, and the fields whose findings mark them.
_OUTLINE = (
    ("identity", "Identity", ("name", "code", "type_id", "sku", "brand", "mpn", "gtin", "elsewhere", "tags")),
    ("copy", "Copy", ("short_text", "description", "key_points", "sent_note")),
    ("pictures", "Pictures", ("pictures",)),
    ("facts", "Facts", ("fact-",)),
    ("prices", "Price", _PRICED),
    ("stock", "Stock", _STOCKED),
    ("categories", "Categories", ("category_id", "categories", "first_place")),
    ("search", "Search", ("address_part", "canonical", "meta_title", "meta_description", "search_words")),
)
#: Behind so many of them stand the parts that other areas add to the middle.
_BEFORE_MIDDLE = 4
#: And behind price and stock those that they add there.
_AFTER_PRICES = 6
#: With more variants than these, the single ones are asked for as they are typed.
MOST_OFFERED = 60


@dataclass(frozen=True)
class EditorView:
    """What the editor's templates are given.

    ``product``: None for a new one; ``typed``: what stands in the form; ``problems``: by field. ``added``: the parts of
    other areas, each with its data; ``outline``: key, label and the shape of its mark, for each part. ``look``: the
    mirror; ``at``: the fields that may be written for the lens. ``conflict`` and ``conflicts``: where somebody else
    saved too, and ``taken`` what was taken over from them; ``seen_values``: what the page shows, for the next save.
    ``sheet``: the facts of the chosen type; ``belong_options`` and ``belong_labels``: what a picture may belong to.
    """

    product: Product | None
    typed: Typed
    problems: Mapping[str, list[Problem]]
    added: list[tuple[EditorPart, dict[str, Any]]]
    outline: list[tuple[str, str, str]]
    look: Look
    at: dict[str, FieldSeen]
    trail: list[TrailRow]
    prepared: list[PreparedRow]
    conflict: SaveConflict | None
    conflicts: list[ConflictShown]
    taken: list[str]
    seen_values: str
    tree: Tree
    words: Vocabulary
    sheet: Sheet
    belong_options: list[dict[str, str]]
    belong_labels: dict[str, str]
    endings: str
    kinds: Mapping[Any, str]
    unit_list: list[tuple[str, str]]
    may_edit: bool
    may_delete: bool


def view(
    ctx: Context,
    signed: Identity,
    seen: Seen,
    typed: Typed,
    product: Product | None,
    conflict: SaveConflict | None = None,
) -> EditorView:
    """The editor with what was typed, through a lens."""
    looked = mirrors.look(ctx, typed.fields, typed.pictures, product, seen)
    added = [(part, part.data(ctx, signed.actor, product, seen)) for part in parts.all_parts()] if product else []
    words = vocabulary.read(ctx, product.id if product else None)
    return EditorView(
        product=product,
        typed=typed,
        problems=by_field(typed.problems),
        added=added,
        outline=_outline(looked.findings, added),
        look=looked,
        at=lensing.fields(looked.written, typed.fields, product, seen),
        trail=history.of_records(ctx, signed.actor, product.history_keys) if product else [],
        prepared=prepared.of_records(ctx, signed.actor, product.history_keys) if product else [],
        conflict=conflict,
        conflicts=meeting.conflicts_of(ctx, conflict, typed.chosen),
        taken=[saving.label_of(name, conflict.theirs) for name in conflict.merge.taken] if conflict else [],
        seen_values=json.dumps(typed.seen),
        tree=categories.read_tree(ctx),
        words=words,
        sheet=facts.sheet(words, typed.fields, product),
        **belonging(product, (said for _, said in typed.pictures)),
        endings=",".join(ENDINGS),
        kinds=KIND_WORDS,
        unit_list=units.all_units(),
        may_edit=signed.actor.may(Role.EDITOR),
        may_delete=product is not None and not product.was_live,
    )


def _outline(findings: list[Finding], added: list[tuple[EditorPart, dict[str, Any]]]) -> list[tuple[str, str, str]]:
    marks = own_marks(findings)
    own = [(key, label, marks[key]) for key, label, _ in _OUTLINE]
    theirs = {
        place: [(part.key, part.label, part.mark(data)) for part, data in added if part.place == place]
        for place in ("middle", "prices", "end")
    }
    before, prices, after = own[:_BEFORE_MIDDLE], own[_BEFORE_MIDDLE:_AFTER_PRICES], own[_AFTER_PRICES:]
    return [*before, *theirs["middle"], *prices, *theirs["prices"], *after, *theirs["end"]]


def own_marks(findings: list[Finding]) -> dict[str, str]:
    """The shapes of the marks of the product's own parts, by key."""
    return {key: _mark(findings, fields) for key, _, fields in _OUTLINE}


def _mark(findings: list[Finding], fields: tuple[str, ...]) -> str:
    touching = [one for one in findings if one.field in fields or ("fact-" in fields and one.field.startswith("fact-"))]
    return {"blocked": "crossed", "ready": "half", "strong": "full"}[str(readiness.verdict(touching))]


def shown_in(seen: Seen) -> dict[str, Any]:
    """In which language and currency amounts are shown."""
    return {"locale": seen.locale, **({"currency": seen.lens.currency} if seen.lens.currency else {})}


def belonging(product: Product | None, shown: Iterable[Picture]) -> dict[str, Any]:
    """What a picture may belong to (choices by axis, then single variants), and the names of what is chosen."""
    if product is None or not product.varies:
        return {"belong_options": [], "belong_labels": {}}
    choices = [
        {"value": f"c{choice.id}", "text": choice.label, "group": axis.attribute.name}
        for axis in product.axes
        for choice in axis.choices
    ]
    chosen = {one for picture in shown for one in picture.variants}
    labels = {one["value"]: one["text"] for one in choices}
    labels |= {f"v{v.id}": label_of(product.axes, v.combination) for v in product.variants if v.id in chosen}
    single = single_variants(product) if len(product.for_sale) <= MOST_OFFERED else []
    return {"belong_options": choices + single, "belong_labels": labels}


def single_variants(product: Product, typed: str = "") -> list[dict[str, str]]:
    """The variants one by one, where these are something else than the choices of the only axis."""
    if len(product.axes) < 2:
        return []
    named = ((one.id, label_of(product.axes, one.combination)) for one in product.for_sale)
    return [
        {"value": f"v{key}", "text": label, "group": "Single variants"}
        for key, label in named
        if typed.casefold() in label.casefold()
    ]
