"""A copy of a product: a draft with all of it, variants included, under codes of its own."""

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from graupel.context import Context
from graupel.core import product_fields
from graupel.core import products as product_rules
from graupel.core import variants as rules
from graupel.core.attributes import Attribute, Fact
from graupel.core.declarations.products import CHOICES
from graupel.core.errors import Refused
from graupel.core.pictures import Picture
from graupel.core.problems import Problem
from graupel.core.products import BASE_FIELDS, ProductValues, Status
from graupel.core.roles import Actor, Role
from graupel.core.showing import plural
from graupel.core.variants import Combination
from graupel.db import DuplicateKey, Tx
from graupel.features.history import service as history
from graupel.features.products import pictures as product_pictures
from graupel.features.products import saving, service, skus
from graupel.features.products import store as product_store
from graupel.features.products.service import Product, Variant
from graupel.features.variants import making, store
from graupel.features.vocabulary import sharing, types
from graupel.features.wording import service as wording

#: What of a variant its copy has too, beside its choices and its words.
_COPIED = (*BASE_FIELDS, "mpn")
_ADDRESS = ".address_part"


@dataclass(frozen=True)
class Copied:
    """A copy that is being made. ``variants``: the original's that are for sale, to the copy's."""

    tx: Tx
    recorder: history.Recorder
    original: int
    copy: int
    variants: Mapping[int, int]


_COPIERS: list[Callable[[Copied], None]] = []


def on_copied(copier: Callable[[Copied], None]) -> None:
    """Let a later area copy what it keeps of products."""
    if copier not in _COPIERS:
        _COPIERS.append(copier)


@dataclass(frozen=True)
class Wanted:
    """What the copy is called. Blank: as proposed."""

    name: str = ""
    code: str = ""
    pattern: str = ""
    sku: str = ""


@dataclass(frozen=True)
class CopyPlan:
    """The dry run of a copy. ``skus``: by the original's variant id, in the order of the axes; ``left``: what stays."""

    original: Product
    name: str
    code: str
    pattern: str
    skus: Mapping[int, str]
    left: Sequence[str]
    problems: Sequence[Problem]

    @property
    def variants(self) -> list[tuple[str, str, str]]:
        """What each variant is, its SKU, and the SKU of its copy."""
        of = {one.id: one for one in self.original.variants}
        label = rules.label_of
        return [(label(self.original.axes, of[key].combination), of[key].sku, sku) for key, sku in self.skus.items()]


def plan(ctx: Context, actor: Actor, product_id: int, wanted: Wanted) -> CopyPlan:
    """What a copy would be. Raises NotFound."""
    actor.require(Role.EDITOR)
    return ctx.db.run(lambda tx: _plan(ctx, tx, service.load(ctx, tx, product_id), wanted))


def _plan(ctx: Context, tx: Tx, original: Product, wanted: Wanted) -> CopyPlan:
    problems: list[Problem] = []
    words = original.vocabulary
    kind = words.type_of(original.values.type_id) if words else None
    read = product_fields.readers(ctx.settings.currency)
    name = _read(problems, read["name"], wanted.name, "name")
    proposed = types.coming_code(tx, kind) or _free_code(tx, original.shown_code or f"P{original.id}")
    code = _read(problems, read["code"], wanted.code, "code") or proposed
    is_code = not any(problem.field == "code" for problem in problems)
    if is_code and (owner := product_store.owner_of_code(tx, code)):
        problems.append(skus.code_problem(tx, code, owner, ctx.settings.language))
    pattern, made = _skus(ctx, tx, original, wanted, code if is_code else proposed, problems)
    return CopyPlan(original, name or copy_name(original.values.name), code, pattern, made, _left(original), problems)


def _read(problems: list[Problem], read: Callable[[Any], Any], typed: str, field: str) -> str:
    """What was typed, read; where it can't be, it is told, and stands as it was typed."""
    try:
        return str(read(typed)) if typed.strip() else ""
    except Refused as refusal:
        problems += [problem.at(field=field) for problem in refusal.problems]
        return typed


def _free_code(tx: Tx, code: str) -> str:
    found = re.fullmatch(r"(.*?)-C(\d*)", code)
    stem, number = (found[1], int(found[2] or 1) + 1) if found else (code, 1)
    while product_store.owner_of_code(tx, made := f"{stem}-C{number if number > 1 else ''}"):
        number += 1
    return made


def _skus(
    ctx: Context, tx: Tx, original: Product, wanted: Wanted, code: str, problems: list[Problem]
) -> tuple[str, dict[int, str]]:
    """The pattern, and the SKU of each variant's copy; for a product that does not vary the one SKU."""
    if not original.varies:
        sku = _read(problems, product_fields.readers(ctx.settings.currency)["sku"], wanted.sku, "sku")
        is_sku = bool(sku) and not any(problem.field == "sku" for problem in problems)
        problems += skus.problems(tx, [(sku, None)], ctx.settings.language) if is_sku else []
        return "", {original.variants[0].id: sku or skus.free(tx, code)}
    text = wanted.pattern or original.sku_pattern or rules.DEFAULT_PATTERN
    try:
        pattern = rules.parse_pattern(text, original.axes)
    except Refused as refusal:
        problems += [problem.at(field="pattern") for problem in refusal.problems]
        return text, {}
    order = rules.order_key(original.axes)
    ordered = sorted(original.for_sale, key=lambda one: [order.get(choice, 0) for choice in one.combination])
    made = making.free_skus(tx, pattern, code, original.axes, [one.combination for one in ordered])
    return pattern.text, {one.id: made[one.combination] for one in ordered}


def _left(original: Product) -> list[str]:
    """What a copy has not, in words."""
    gone = len(original.variants) - len(original.for_sale)
    return [
        "GTINs, which name one article only",
        "stock",
        "the address of the page, and a canonical one",
        "listings on channels",
        "sales",
        *([f"{plural(gone, 'archived variant')}"] if gone else []),
    ]


def copy(ctx: Context, actor: Actor, product_id: int, wanted: Wanted | None = None) -> int:
    """Make the copy that ``plan`` shows; returns its id. Raises Refused, NotFound."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> int:
        original = service.load(ctx, tx, product_id)
        planned = _plan(ctx, tx, original, wanted or Wanted())
        if planned.problems:
            raise Refused(planned.problems)
        title = f"Product made: {planned.name}, a copy of {original.values.name}"
        types.use_code(tx, original.type, planned.code)
        with history.change_set(tx, actor, "product.copy", title) as recorder:
            return _Copying(ctx, tx, recorder, original, planned).make()

    for _ in range(3):  # a code that somebody took meanwhile is made anew
        try:
            return ctx.db.run(work)
        except DuplicateKey:
            continue
    return ctx.db.run(work)


class _Copying:
    """The making of one copy, in one transaction. ``choices``: of private attributes, the original's to the copy's."""

    def __init__(self, ctx: Context, tx: Tx, recorder: history.Recorder, original: Product, planned: CopyPlan) -> None:
        self.ctx, self.tx, self.recorder, self.original, self.planned = ctx, tx, recorder, original, planned
        self.attributes: dict[int, int] = {}
        self.choices: dict[int, int] = {}

    def make(self) -> int:
        first, *others = self._ordered()
        values = replace(self._values(), sku=self.planned.skus[first.id], pictures=(), facts=self._shared_facts())
        if self.original.varies:
            values = replace(values, **{name: getattr(first, name) for name in BASE_FIELDS})
        product_id = saving.make_within(self.ctx, self.tx, self.recorder, values)
        self._copy_private(product_id)
        made = {first.id: product_store.variants(self.tx, [product_id])[0]["id"]}
        if self.original.varies:
            made |= self._make_varying(product_id, first, others, made[first.id])
        self._copy_words(made)
        self._finish(product_id, made)
        for copier in _COPIERS:
            copier(Copied(self.tx, self.recorder, self.original.id, product_id, made))
        return product_id

    def _ordered(self) -> list[Variant]:
        of = {one.id: one for one in self.original.variants}
        return [of[key] for key in self.planned.skus]

    def _values(self) -> ProductValues:
        """The original's values, without what names it alone."""
        own = {key: text for key, text in self.original.values.own.items() if not key.endswith(_ADDRESS)}
        return replace(
            self.original.values,
            name=self.planned.name,
            code=self.planned.code,
            gtin=None,
            elsewhere=None,
            stock=None,
            address_part="",
            canonical="",
            own=own,
            status=Status.DRAFT,
        )

    def _private(self) -> list[Attribute]:
        words = self.original.vocabulary
        return [one for one in words.attributes.values() if one.product_id == self.original.id] if words else []

    def _shared_facts(self) -> dict[int, Fact]:
        private = {one.id for one in self._private()}
        return {key: fact for key, fact in self.original.values.facts.items() if key not in private}

    def _copy_private(self, product_id: int) -> None:
        for attribute in self._private():
            made, choices = sharing.copy_within(self.tx, self.recorder, attribute, product_id)
            self.attributes[attribute.id] = made
            self.choices |= choices

    def _mapped(self, combination: Sequence[int]) -> Combination:
        return tuple(self.choices.get(one, one) for one in combination)

    def _make_varying(
        self, product_id: int, first: Variant, others: Sequence[Variant], first_id: int
    ) -> dict[int, int]:
        """Axes, and all variants with their own values."""
        for position, axis in enumerate(self.original.axes, start=1):
            key = self.attributes.get(axis.attribute.id, axis.attribute.id)
            making.write_axis(self.tx, self.recorder, product_id, key, position, None)
        base = {name: getattr(self.original.values, name) for name in BASE_FIELDS}
        before = {**dict.fromkeys(BASE_FIELDS), "sku_pattern": "", "mpn": self.original.values.mpn}
        after = {**base, "sku_pattern": self.planned.pattern, "mpn": self.original.values.mpn}
        if self.recorder.changed("product", product_id, before, after, 2):
            product_store.update_product(self.tx, product_id, after, self.ctx.settings.language)
        store.move(self.tx, self.recorder, {first_id: self._mapped(first.combination)})
        store.change(self.tx, self.recorder, [first_id], {name: _plain(getattr(first, name)) for name in _COPIED})
        rows = [self._row(product_id, one) for one in others]
        made = product_store.insert_variants(self.tx, rows) if rows else []
        store.journal_made(self.tx, self.recorder, made)
        return dict(zip((one.id for one in others), made, strict=True))

    def _row(self, product_id: int, one: Variant) -> dict[str, Any]:
        padded = (*self._mapped(one.combination), *[None] * rules.MOST_AXES)[: rules.MOST_AXES]
        values = {name: _plain(getattr(one, name)) for name in _COPIED}
        return {"product_id": product_id, "sku": self.planned.skus[one.id], **values} | dict(
            zip(CHOICES, padded, strict=True)
        )

    def _copy_words(self, made: Mapping[int, int]) -> None:
        """The variants' own names and short texts, and what is written of them for destinations and languages."""
        lang = self.ctx.settings.language
        texts = store.texts(self.tx, list(made), lang)
        for one in self._ordered():
            row = texts.get(one.id)
            words = {name: row[name] if row else "" for name in ("name", "short_text")}
            if row:
                whole = {"variant_id": made[one.id], "lang": lang, **words}
                self.recorder.made("variant_text", store.insert_text(self.tx, whole), whole)
            if one.own:
                wording.save(self.tx, self.recorder, "variant", made[one.id], one.own, words)

    def _finish(self, product_id: int, made: Mapping[int, int]) -> None:
        """What refers to the variants and to attributes of its own: pictures with what they show, and private facts."""
        facts = {
            self.attributes[key]: replace(fact, choices=self._mapped(fact.choices))
            for key, fact in self.original.values.facts.items()
            if key in self.attributes
        }
        if facts:
            saving.save_facts(self.tx, self.recorder, product_id, facts | self._shared_facts())
        shown = [self._picture(one, made) for one in self.original.values.pictures]
        product_pictures.save(self.tx, self.recorder, product_id, tuple(shown))
        product_pictures.copy_words(self.tx, self.recorder, self.original.id, product_id)

    def _picture(self, one: Picture, made: Mapping[int, int]) -> Picture:
        variants = tuple(made[key] for key in one.variants if key in made)
        return replace(one, choices=self._mapped(one.choices), variants=variants)


def _plain(value: Any) -> Any:
    return int(value) if isinstance(value, bool) else value


def copy_name(name: str) -> str:
    """ "Name, copy", "Name, copy 2" """
    found = re.fullmatch(r"(.*), copy(?: (\d+))?", name)
    stem, number = (found[1], int(found[2] or 1) + 1) if found else (name, 1)
    ending = ", copy" if number == 1 else f", copy {number}"
    return stem[: product_rules.NAME_LENGTH - len(ending)] + ending
