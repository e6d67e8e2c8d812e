"""The products table and the product editor."""

import json
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from itertools import zip_longest
from typing import Any
from urllib.parse import parse_qs

from fastapi import APIRouter, Depends, Request
from fastapi.responses import JSONResponse, RedirectResponse, Response
from starlette.datastructures import FormData

from graupel.context import Context
from graupel.core import products as rules
from graupel.core import readiness, units
from graupel.core.attributes import KIND_WORDS, Attribute, Fact, show_fact
from graupel.core.declarations.products import PRODUCT
from graupel.core.errors import Refused
from graupel.core.media import ENDINGS
from graupel.core.pictures import Picture, guess_choices
from graupel.core.problems import Problem, by_field
from graupel.core.products import ProductValues, Status
from graupel.core.quantities import format_weight
from graupel.core.readiness import Finding
from graupel.core.roles import Identity, Role
from graupel.core.tables import COLUMNS, NUMBERS, SORTED_BY, TableState
from graupel.core.variants import label_of
from graupel.features.categories import service as categories
from graupel.features.destinations import service as destinations
from graupel.features.destinations.service import Seen
from graupel.features.history import service as history
from graupel.features.media import service as media_service
from graupel.features.media.service import Media
from graupel.features.products import facts, lensing, mirrors, parts, saving, service, table, views
from graupel.features.products.saving import SaveConflict, Saved
from graupel.features.products.service import Product
from graupel.features.vocabulary import service as vocabulary
from graupel.web.frame import page
from graupel.web.security import Ctx, Form, Signed, from_our_own_page

router = APIRouter(dependencies=[Depends(from_our_own_page)])

# --- the table -----------------------------------------------------------------------------------------------


def _query(request: Request) -> dict[str, list[str]]:
    return {name: request.query_params.getlist(name) for name in request.query_params}


@router.get("/products")
def show_table(request: Request, ctx: Ctx, signed: Signed) -> Response:
    """The table; for htmx its results alone."""
    state = TableState.read(_query(request))
    return page(
        request,
        "products/table.html",
        part="products/results.html",
        **_table_data(ctx, signed, state, request.state.seen),
    )


def _table_data(ctx: Context, signed: Identity, state: TableState, seen: Seen, **data: Any) -> dict[str, Any]:
    return {
        "table": table.read(ctx, signed.actor, state, seen),
        "locale": seen.locale,
        "lensed": not seen.lens.is_default,
        "lensed_amounts": bool(seen.lens.destination),
        **({"currency": seen.lens.currency} if seen.lens.currency else {}),
        "columns": views.columns_of(ctx, signed.actor),
        "all_columns": COLUMNS,
        "many_fields": {name: PRODUCT.field(name).label for name in PRODUCT.for_many},
        "sorted_by": SORTED_BY,
        "numbers": NUMBERS,
        "views": views.views(ctx, signed.actor),
        "may_edit": signed.actor.may(Role.EDITOR),
        "statuses": list(Status),
        "trouble": "",
        **data,
    }


@router.post("/products/columns")
def choose_columns(ctx: Ctx, signed: Signed, form: Form) -> Response:
    """Keeps the columns that a person chose, and shows the table with them."""
    views.choose_columns(ctx, signed.actor, [str(name) for name in form.getlist("column")])
    return _back_to(str(form.get("query", "")))


def _back_to(query: str) -> Response:
    plain = TableState.read(parse_qs(query)).query()
    return Response(status_code=204, headers={"HX-Redirect": f"/products?{plain}" if plain else "/products"})


@router.post("/products/views")
def save_view(request: Request, ctx: Ctx, signed: Signed, form: Form) -> Response:
    """Keeps what is chosen under a name."""
    query = str(form.get("query", ""))
    try:
        views.save_view(ctx, signed.actor, str(form.get("name", "")), query)
    except Refused as refusal:
        state = TableState.read(parse_qs(query))
        data = _table_data(ctx, signed, state, request.state.seen, trouble=refusal.problems[0].message)
        return page(request, "products/table.html", part="products/results.html", status=422, **data)
    return _back_to(query)


@router.get("/products/views/{view_id}")
def open_view(ctx: Ctx, signed: Signed, view_id: int) -> Response:
    """Leads to the table as it was kept."""
    return RedirectResponse(f"/products?{views.open_view(ctx, signed.actor, view_id)}", 303)


@router.post("/products/views/{view_id}/delete")
def delete_view(ctx: Ctx, signed: Signed, form: Form, view_id: int) -> Response:
    """Drops a view."""
    views.delete_view(ctx, signed.actor, view_id)
    return _back_to(str(form.get("query", "")))


# --- the editor ----------------------------------------------------------------------------------------------

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
    """What stands in the editor's fields: text as typed, pictures, and what is wrong with it."""

    fields: dict[str, Any]
    pictures: list[tuple[Media, Picture]]
    status: Status = Status.DRAFT
    version: int | None = None
    problems: list[Problem] = field(default_factory=list)

    def fact(self, attribute_id: int) -> list[str]:
        """What is typed or chosen for an attribute."""
        found: list[str] = self.fields.get(f"fact-{attribute_id}", [])
        return found


def _typed_of(product: Product) -> Typed:
    values = product.values
    known = product.vocabulary.attributes if product.vocabulary else {}
    return Typed(
        _texts(values, known),
        list(zip(product.pictures, values.pictures, strict=True)),
        values.status,
        product.version,
    )


def _texts(values: ProductValues, known: Mapping[int, Attribute]) -> dict[str, Any]:
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


def _read_form(
    ctx: Context, form: FormData, start: ProductValues | None, known: Mapping[int, Attribute]
) -> tuple[Typed, ProductValues]:
    """What was typed, and the values it stands for; problems are collected in the former."""
    raw = _raw(form)
    status = str(form.get("then") or form.get("status") or Status.DRAFT)
    currencies = destinations.read_all(ctx).currencies
    reading = rules.read({**raw, "status": status}, ctx.settings.currency, start, known, currencies)
    for place, problem in enumerate(reading.problems):
        if (problem.field or "").startswith("own-"):
            reading.problems[place] = replace(problem, field=str(problem.field).rpartition(".")[2])
    files = media_service.read_many(ctx, [picture.media_id for picture in raw["pictures"]])
    shown = [(files[p.media_id], p) for p in raw["pictures"] if p.media_id in files]
    fields = _texts(start or ProductValues(), known) | {
        name: value for name, value in raw.items() if name != "pictures"
    }
    typed = Typed(fields, shown, reading.values.status, _version(form), reading.problems)
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
        Picture(int(media_id), alt, title, *belongs_of(belongs))
        for media_id, alt, title, belongs in zip_longest(*columns, fillvalue="")
        if media_id.isdecimal()
    ]


def belongs_of(text: str) -> tuple[tuple[int, ...], tuple[int, ...]]:
    """ "c12 c14 v7" as the ids of choices and of variants."""
    found: dict[str, list[int]] = {"c": [], "v": []}
    for word in text.split():
        if word[:1] in found and word[1:].isdecimal() and len(word) < 12:
            found[word[0]].append(int(word[1:]))
    return tuple(found["c"]), tuple(found["v"])


def _choices(form: FormData) -> dict[str, Any]:
    """Fields in which the person chose the other's value, in the form's terms."""
    theirs = {}
    for key, value in form.items():
        name = key.removeprefix("theirs_")
        if key != name and form.get(f"choose_{name}") == "theirs":
            try:
                theirs[name] = json.loads(str(value))
            except ValueError:
                continue  # a form that our page did not make
    if "pictures" in theirs:
        theirs["pictures"] = [rules.picture_of_plain(one) for one in theirs["pictures"]]
    return theirs


def _seen(form: FormData) -> dict[str, Any]:
    """The values as they were when the form was made."""
    try:
        seen = json.loads(str(form.get("seen", "{}")))
        return seen if isinstance(seen, dict) else {}
    except ValueError:
        return {}  # a form that our page did not make


def _version(form: FormData) -> int | None:
    found = str(form.get("version", ""))
    return int(found) if found.isdecimal() else None


def _unchosen(form: FormData) -> list[Problem]:
    return [
        Problem("conflict.open", f"Choose which value of {rules.label_of(name)} is to stay.", name)
        for name in (key.removeprefix("theirs_") for key in form if key.startswith("theirs_"))
        if form.get(f"choose_{name}") not in ("mine", "theirs")
    ]


@router.get("/products/new")
def new(request: Request, ctx: Ctx, signed: Signed) -> Response:
    """An empty editor."""
    signed.actor.require(Role.EDITOR)
    return _editor(request, ctx, signed, Typed(_texts(ProductValues(), {}), []))


@router.post("/products")
def create(request: Request, ctx: Ctx, signed: Signed, form: Form) -> Response:
    """Makes a product of what was typed, or shows it again with what is wrong."""
    typed, values = _read_form(ctx, form, None, vocabulary.read(ctx).attributes)
    try:
        if typed.problems:
            raise Refused(_with_rules(ctx, typed.problems, values))
        product_id = saving.create(ctx, signed.actor, values)
    except Refused as refusal:
        typed.problems, typed.status = refusal.problems, Status.DRAFT
        return _editor(request, ctx, signed, typed, status=422)
    return Response(status_code=204, headers={"HX-Redirect": f"/products/{product_id}?made=1"})


def _with_rules(
    ctx: Context, problems: list[Problem], values: ProductValues, product_id: int | None = None
) -> list[Problem]:
    """Unreadable fields, and the rules that the others break: everything at once, so it is mended at once."""
    unreadable = {problem.field for problem in problems}
    return problems + [p for p in saving.check(ctx, values, product_id) if p.field not in unreadable]


@router.get("/products/{product_id:int}")
def edit(request: Request, ctx: Ctx, signed: Signed, product_id: int) -> Response:
    """The editor of one product."""
    product = service.read(ctx, signed.actor, product_id)
    said = {"made": "Made.", "copied": "This is the copy: a draft, with SKU and address of its own."}
    return _editor(
        request,
        ctx,
        signed,
        _typed_of(product),
        product=product,
        said=next((words for name, words in said.items() if name in request.query_params), ""),
    )


@router.post("/products/{product_id:int}")
def save(request: Request, ctx: Ctx, signed: Signed, form: Form, product_id: int) -> Response:
    """Saves what was typed, or shows it again with what is wrong or what somebody else saved meanwhile."""
    product = service.read(ctx, signed.actor, product_id)
    assert product.vocabulary is not None
    typed, values = _read_form(ctx, form, product.values, product.vocabulary.attributes)
    problems = typed.problems + _unchosen(form)
    try:
        if problems:
            raise Refused(_with_rules(ctx, problems, values, product_id))
        still = [name.removeprefix("still-own-") for name in form if name.startswith("still-own-")]
        saved = saving.save(ctx, signed.actor, product_id, values, typed.version, _seen(form), still)
    except Refused as refusal:
        typed.problems, typed.status = refusal.problems, product.values.status
        return _editor(request, ctx, signed, typed, product=product, status=422)
    except SaveConflict as conflict:
        return _editor(
            request, ctx, signed, _merged(ctx, conflict), product=conflict.theirs, conflict=conflict, status=409
        )
    product = service.read(ctx, signed.actor, product_id)
    return _editor(request, ctx, signed, _typed_of(product), product=product, said=_what_was_saved(saved))


@router.post("/products/{product_id:int}/copy")
def copy(ctx: Ctx, signed: Signed, product_id: int) -> Response:
    """Makes a draft as a copy, and opens it."""
    made = saving.copy(ctx, signed.actor, product_id)
    return Response(status_code=204, headers={"HX-Redirect": f"/products/{made}?copied=1"})


@router.post("/products/{product_id:int}/delete")
def delete(request: Request, ctx: Ctx, signed: Signed, product_id: int) -> Response:
    """Deletes a product that was never live."""
    try:
        saving.delete(ctx, signed.actor, product_id)
    except Refused as refusal:
        product = service.read(ctx, signed.actor, product_id)
        typed = _typed_of(product)
        typed.problems = refusal.problems
        return _editor(request, ctx, signed, typed, product=product, status=422)
    return Response(status_code=204, headers={"HX-Redirect": "/products"})


def _what_was_saved(saved: Saved) -> str:
    if not saved.changed:
        return "Nothing had changed."
    parts_of_it = [
        f"{label} {before} → {after}" if before and len(before) + len(after) < 40 else label
        for label, before, after in saved.changed
    ]
    return f"Saved: {', '.join(parts_of_it)}."


def _merged(ctx: Context, conflict: SaveConflict) -> Typed:
    values = rules.unflat(conflict.merge.values)
    files = media_service.read_many(ctx, [picture.media_id for picture in values.pictures])
    known = conflict.theirs.vocabulary.attributes if conflict.theirs.vocabulary else {}
    return Typed(
        _texts(values, known),
        [(files[p.media_id], p) for p in values.pictures if p.media_id in files],
        values.status,
        conflict.theirs.version,
    )


@dataclass(frozen=True)
class ConflictShown:
    """One field with both values in words, and theirs as the form takes it."""

    name: str
    label: str
    mine: str
    theirs: str
    theirs_raw: str


def _conflicts(ctx: Context, found: SaveConflict | None) -> list[ConflictShown]:
    if found is None:
        return []
    paths = categories.read_tree(ctx)
    words = found.theirs.vocabulary
    assert words is not None
    raw = _texts(found.theirs.values, words.attributes)

    def attribute(name: str) -> Attribute | None:
        return words.attributes.get(int(name[5:])) if name.startswith("fact-") else None

    def shown(name: str, value: Any) -> str:
        if fact_of := attribute(name):
            return show_fact(fact_of, Fact.of_plain(value)) if value else "(empty)"
        if name == "category_id":
            return paths.path(value) or "(none)"
        if name == "categories":
            return ", ".join(paths.path(one) for one in value) or "(none)"
        if name == "type_id":
            return words.types[value].name if value in words.types else "(none)"
        if name == "pictures":
            return f"{len(value)}: " + ", ".join(one[1] or "without alt text" for one in value)
        return rules.show(name, value)

    return [
        ConflictShown(
            c.field,
            found_attribute.name if (found_attribute := attribute(c.field)) else rules.label_of(c.field),
            shown(c.field, c.mine),
            shown(c.field, c.theirs),
            json.dumps(c.theirs if c.field == "pictures" else raw.get(c.field, [])),
        )
        for c in found.merge.conflicts
    ]


OUTLINE = [
    ("identity", "Identity", ("name", "code", "type_id", "sku", "brand", "mpn", "gtin", "tags")),
    ("copy", "Copy", ("short_text", "description", "key_points")),
    ("pictures", "Pictures", ("pictures",)),
    ("facts", "Facts", ("fact-",)),
    ("prices", "Price and stock", ("price", "list_price", "cost", "weight_g", "origin_country", "stock")),
    ("categories", "Categories", ("category_id", "categories")),
    ("search", "Search", ("address_part", "canonical", "meta_title", "meta_description")),
]


def _mark(findings: list[Finding], fields: tuple[str, ...]) -> str:
    touching = [one for one in findings if one.field in fields or ("fact-" in fields and one.field.startswith("fact-"))]
    return {"blocked": "crossed", "ready": "half", "strong": "full"}[str(readiness.verdict(touching))]


def _editor(
    request: Request,
    ctx: Context,
    signed: Identity,
    typed: Typed,
    *,
    product: Product | None = None,
    said: str = "",
    conflict: SaveConflict | None = None,
    status: int = 200,
) -> Response:
    seen: Seen = request.state.seen
    looked = mirrors.look(ctx, typed.fields, typed.pictures, product, seen)
    added = [(part, part.data(ctx, signed.actor, product, seen)) for part in parts.all_parts()] if product else []
    trail = history.of_records(ctx, signed.actor, product.history_keys) if product else []
    outline = [(key, label, _mark(looked.findings, fields)) for key, label, fields in OUTLINE]
    outline[4:4] = [(part.key, part.label, part.mark(data)) for part, data in added if part.place == "middle"]
    outline += [(part.key, part.label, part.mark(data)) for part, data in added if part.place == "end"]
    words = vocabulary.read(ctx, product.id if product else None)
    return page(
        request,
        "products/editor.html",
        part="products/editing.html",
        status=status,
        typed=typed,
        product=product,
        said=said,
        problems=by_field(typed.problems),
        conflicts=_conflicts(ctx, conflict),
        conflict=conflict,
        added=added,
        taken=[rules.label_of(name) for name in conflict.merge.taken] if conflict else [],
        seen_values=json.dumps(rules.flat((conflict.theirs if conflict else product).values)) if product else "{}",
        tree=categories.read_tree(ctx),
        words=words,
        **_belonging(product, (said for _, said in typed.pictures)),
        endings=",".join(ENDINGS),
        sheet=facts.sheet(words, typed.fields, product),
        kinds=KIND_WORDS,
        unit_list=units.all_units(),
        trail=trail,
        outline=outline,
        may_edit=signed.actor.may(Role.EDITOR),
        may_delete=product is not None and not product.was_live,
        look=looked,
        at=lensing.fields(looked.written, typed.fields, product, seen),
        **_shown_in(seen),
    )


def _shown_in(seen: Seen) -> dict[str, Any]:
    """In which language and currency amounts are shown."""
    return {"locale": seen.locale, **({"currency": seen.lens.currency} if seen.lens.currency else {})}


#: With more variants than these, the single ones are asked for as they are typed.
MOST_OFFERED = 60


def _belonging(product: Product | None, shown: Iterable[Picture]) -> dict[str, Any]:
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
    single = _single_variants(product) if len(product.for_sale) <= MOST_OFFERED else []
    return {"belong_options": choices + single, "belong_labels": labels}


def _single_variants(product: Product, typed: str = "") -> list[dict[str, str]]:
    """The variants one by one, where these are something else than the choices of the only axis."""
    if len(product.axes) < 2:
        return []
    named = ((one.id, label_of(product.axes, one.combination)) for one in product.for_sale)
    return [
        {"value": f"v{key}", "text": label, "group": "Single variants"}
        for key, label in named
        if typed.casefold() in label.casefold()
    ]


@router.get("/products/{product_id:int}/variants-named")
def variants_named(ctx: Ctx, signed: Signed, product_id: int, q: str = "") -> JSONResponse:
    """Variants whose names hold a text, for a chooser."""
    return JSONResponse(_single_variants(service.read(ctx, signed.actor, product_id), q.strip())[:MOST_OFFERED])


@router.get("/products/picture-row/{product_id}")
@router.get("/products/picture-row/new")
def picture_row(
    request: Request,
    ctx: Ctx,
    signed: Signed,
    media: int,
    product_id: int | None = None,
    alt: str = "",
    title: str = "",
    belongs: str = "",
    guess: bool = False,
) -> Response:
    """The row of one file in the editor. ``guess``: its name tells which variants it belongs to."""
    file = media_service.read(ctx, signed.actor, media)
    product = service.read(ctx, signed.actor, product_id) if product_id else None
    choices, variants = belongs_of(belongs)
    if guess and product:
        choices = guess_choices(file.file_name, product.axes)
    said = Picture(media, alt[:300], title[:200], choices, variants)
    return page(
        request,
        "products/picture_row.html",
        file=file,
        said=said,
        suggestion="",
        **_belonging(product, [said]),
        may_edit=True,
    )


@router.get("/products/for-media/{media_id}")
def products_for_media(request: Request, ctx: Ctx, signed: Signed, media_id: int, q: str = "") -> Response:
    """Products that a file could be used in as well."""
    found = table.read(ctx, signed.actor, TableState.read({"q": [q.strip()[:100]]})).rows[:8] if q.strip() else []
    return page(request, "products/for_media.html", rows=found, media_id=media_id, q=q.strip())


@router.post("/products/{product_id:int}/media")
def use_media(ctx: Ctx, signed: Signed, form: Form, product_id: int) -> Response:
    """Puts a file of the library behind a product's other pictures."""
    media_id = int(str(form.get("media", "0")))
    saving.add_picture(ctx, signed.actor, product_id, media_id)
    return Response(status_code=204, headers={"HX-Redirect": f"/products/{product_id}#pictures"})


@router.post("/products/mirror/{product_id}")
@router.post("/products/mirror/new")
def mirror(request: Request, ctx: Ctx, signed: Signed, form: Form, product_id: int | None = None) -> Response:
    """The mirror for what is typed at this moment; writes nothing."""
    product = service.read(ctx, signed.actor, product_id) if product_id else None
    known = vocabulary.read(ctx, product_id).attributes
    typed, _ = _read_form(ctx, form, product.values if product else None, known)
    return page(
        request,
        "products/mirror.html",
        product=product,
        look=mirrors.look(ctx, typed.fields, typed.pictures, product, request.state.seen),
        swap=True,
        **_shown_in(request.state.seen),
    )


@router.post("/products/facts/{product_id}")
@router.post("/products/facts/new")
def show_facts(request: Request, ctx: Ctx, signed: Signed, form: Form, product_id: int | None = None) -> Response:
    """The facts for the type that is chosen at this moment, with what was typed; writes nothing."""
    product = service.read(ctx, signed.actor, product_id) if product_id else None
    words = vocabulary.read(ctx, product_id)
    typed, _ = _read_form(ctx, form, product.values if product else None, words.attributes)
    return _fact_part(request, signed, words, typed, product)


def _fact_part(
    request: Request, signed: Identity, words: Any, typed: Typed, product: Product | None, **data: Any
) -> Response:
    return page(
        request,
        "products/facts.html",
        typed=typed,
        product=product,
        words=words,
        sheet=facts.sheet(words, typed.fields, product),
        kinds=KIND_WORDS,
        unit_list=units.all_units(),
        problems={},
        may_edit=signed.actor.may(Role.EDITOR),
        **data,
    )


@router.post("/products/facts/{product_id}/attribute")
def add_attribute(request: Request, ctx: Ctx, signed: Signed, form: Form, product_id: int) -> Response:
    """Makes an attribute for this product alone or for its type, or takes one into the type; shows the facts again."""
    product = service.read(ctx, signed.actor, product_id)
    trouble = []
    try:
        facts.add_attribute(ctx, signed.actor, product, {name: str(value) for name, value in form.items()})
    except Refused as refusal:
        trouble = [problem.message for problem in refusal.problems]
    words = vocabulary.read(ctx, product_id)
    typed, _ = _read_form(ctx, form, product.values, words.attributes)
    return _fact_part(request, signed, words, typed, product, trouble=trouble)
