"""The products table and the product editor."""

import json
from dataclasses import dataclass, field, replace
from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response
from starlette.datastructures import FormData

from graupel.core import products as rules
from graupel.core import readiness
from graupel.core.changes import Conflict
from graupel.core.errors import Refused
from graupel.core.problems import Problem, by_field
from graupel.core.products import Picture, ProductValues, Status
from graupel.core.quantities import format_money, format_weight
from graupel.core.readiness import Finding, PictureFacts
from graupel.core.roles import Role
from graupel.core.tables import SORTS, TableState
from graupel.features.categories import service as categories
from graupel.features.history import service as history
from graupel.features.media import service as media
from graupel.features.media.service import Media
from graupel.features.products import parts, service, table
from graupel.features.products.service import Product, SaveConflict, Saved
from graupel.web.frame import page
from graupel.web.security import Ctx, Form, Signed, from_our_own_page

router = APIRouter(dependencies=[Depends(from_our_own_page)])

TYPED = ("name", "sku", "price", "weight_g", "category_id", "brand", "mpn", "gtin", "description")


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
        table=table.read(ctx, signed.actor, state),
        sorts=SORTS,
    )


# --- the editor ----------------------------------------------------------------------------------------------


@dataclass
class Typed:
    """What stands in the editor's fields: text as typed, pictures, and what is wrong with it."""

    fields: dict[str, str]
    pictures: list[tuple[Media, str]]
    status: Status = Status.DRAFT
    versions: tuple[int, int] | None = None
    problems: list[Problem] = field(default_factory=list)


def _typed_of(product: Product) -> Typed:
    values = product.values
    return Typed(
        _texts(values),
        [(file, picture.alt) for file, picture in zip(product.pictures, values.pictures, strict=True)],
        values.status,
        (product.version, product.variant_version),
    )


def _texts(values: ProductValues) -> dict[str, str]:
    return {
        "name": values.name,
        "sku": values.sku,
        "price": format_money(values.price),
        "weight_g": format_weight(values.weight_g),
        "category_id": str(values.category_id or ""),
        "brand": values.brand,
        "mpn": values.mpn,
        "gtin": values.gtin or "",
        "description": values.description,
    }


def _read_form(ctx: Ctx, form: FormData, start: ProductValues | None = None) -> tuple[Typed, ProductValues]:
    """What was typed, and the values it stands for; problems are collected in the former."""
    chosen = _choices(form)
    raw: dict[str, Any] = {name: chosen.get(name, str(form.get(name, ""))) for name in TYPED}
    raw["pictures"] = chosen.get("pictures") or _pictures_typed(form)
    status = str(form.get("then") or form.get("status") or Status.DRAFT)
    reading = rules.read({**raw, "status": status}, ctx.settings.currency, start)
    files = media.read_many(ctx, [picture.media_id for picture in raw["pictures"]])
    shown = [(files[p.media_id], p.alt) for p in raw["pictures"] if p.media_id in files]
    typed = Typed({name: raw[name] for name in TYPED}, shown, reading.values.status, _versions(form), reading.problems)
    return typed, replace(reading.values, pictures=tuple(p for p in reading.values.pictures if p.media_id in files))


def _pictures_typed(form: FormData) -> list[Picture]:
    return [
        Picture(int(str(media_id)), str(alt))
        for media_id, alt in zip(form.getlist("picture"), form.getlist("alt"), strict=False)
        if str(media_id).isdecimal()
    ]


def _seen_pictures(form: FormData) -> list[Picture]:
    return _pictures_of_json(str(form.get("seen_pictures", "[]")))


def _pictures_of_json(text: str) -> list[Picture]:
    try:
        return [Picture(int(media_id), str(alt)) for media_id, alt in json.loads(text)]
    except (ValueError, TypeError):
        return []  # a form that our page did not make


def _choices(form: FormData) -> dict[str, Any]:
    """Fields in which the person chose the other's value, in the form's terms."""
    theirs = {
        name.removeprefix("theirs_"): str(value)
        for name, value in form.items()
        if name.startswith("theirs_") and form.get(f"choose_{name.removeprefix('theirs_')}") == "theirs"
    }
    if "pictures" in theirs:
        return theirs | {"pictures": _pictures_of_json(theirs["pictures"])}
    return theirs


def _versions(form: FormData) -> tuple[int, int] | None:
    found = str(form.get("versions", "")).split("-")
    return (int(found[0]), int(found[1])) if len(found) == 2 and all(part.isdecimal() for part in found) else None


def _unchosen(form: FormData) -> list[Problem]:
    return [
        Problem("conflict.open", f"Choose which value of {rules.LABELS.get(name, name)} is to stay.", name)
        for name in (key.removeprefix("theirs_") for key in form if key.startswith("theirs_"))
        if form.get(f"choose_{name}") not in ("mine", "theirs")
    ]


@router.get("/products/new")
def new(request: Request, ctx: Ctx, signed: Signed) -> Response:
    """An empty editor."""
    signed.actor.require(Role.EDITOR)
    return _editor(request, ctx, signed, Typed(_texts(ProductValues()), []))


@router.post("/products")
def create(request: Request, ctx: Ctx, signed: Signed, form: Form) -> Response:
    """Makes a product of what was typed, or shows it again with what is wrong."""
    typed, values = _read_form(ctx, form)
    try:
        if typed.problems:
            raise Refused(_with_rules(ctx, typed.problems, values))
        product_id = service.create(ctx, signed.actor, values)
    except Refused as refusal:
        typed.problems, typed.status = refusal.problems, Status.DRAFT
        return _editor(request, ctx, signed, typed, status=422)
    return Response(status_code=204, headers={"HX-Redirect": f"/products/{product_id}?made=1"})


def _with_rules(
    ctx: Ctx, problems: list[Problem], values: ProductValues, product_id: int | None = None
) -> list[Problem]:
    """Unreadable fields, and the rules that the others break: everything at once, so it is mended at once."""
    unreadable = {problem.field for problem in problems}
    return problems + [p for p in service.check(ctx, values, product_id) if p.field not in unreadable]


@router.get("/products/{product_id}")
def edit(request: Request, ctx: Ctx, signed: Signed, product_id: int) -> Response:
    """The editor of one product."""
    product = service.read(ctx, signed.actor, product_id)
    return _editor(
        request,
        ctx,
        signed,
        _typed_of(product),
        product=product,
        said="Made." if "made" in request.query_params else "",
    )


@router.post("/products/{product_id}")
def save(request: Request, ctx: Ctx, signed: Signed, form: Form, product_id: int) -> Response:
    """Saves what was typed, or shows it again with what is wrong or what somebody else saved meanwhile."""
    product = service.read(ctx, signed.actor, product_id)
    typed, values = _read_form(ctx, form, product.values)
    problems = typed.problems + _unchosen(form)
    try:
        if problems:
            raise Refused(_with_rules(ctx, problems, values, product_id))
        saved = service.save(ctx, signed.actor, product_id, values, typed.versions, _seen_pictures(form))
    except Refused as refusal:
        typed.problems, typed.status = refusal.problems, product.values.status
        return _editor(request, ctx, signed, typed, product=product, status=422)
    except SaveConflict as conflict:
        return _editor(
            request, ctx, signed, _merged(ctx, conflict), product=conflict.theirs, conflict=conflict, status=409
        )
    product = service.read(ctx, signed.actor, product_id)
    return _editor(request, ctx, signed, _typed_of(product), product=product, said=_what_was_saved(saved))


def _what_was_saved(saved: Saved) -> str:
    if not saved.changed:
        return "Nothing had changed."
    parts_of_it = [
        f"{label} {before} → {after}" if len(before) + len(after) < 40 else label
        for label, before, after in saved.changed
    ]
    return f"Saved: {', '.join(parts_of_it)}."


def _merged(ctx: Ctx, conflict: SaveConflict) -> Typed:
    merged = conflict.merge.values
    readable = {name: merged[name] for name in merged if name not in ("pictures", "status", "price")}
    price = rules.read({"price": merged["price"] or ""}, ctx.settings.currency).values.price
    values = ProductValues(**readable, price=price, status=Status(merged["status"]))
    files = media.read_many(ctx, [media_id for media_id, _ in merged["pictures"]])
    return Typed(
        _texts(values),
        [(files[i], alt) for i, alt in merged["pictures"] if i in files],
        Status(merged["status"]),
        (conflict.theirs.version, conflict.theirs.variant_version),
    )


@dataclass(frozen=True)
class ConflictShown:
    """One field with both values in words, and theirs as the form takes it."""

    name: str
    label: str
    mine: str
    theirs: str
    theirs_raw: str


def _conflicts(ctx: Ctx, found: SaveConflict | None) -> list[ConflictShown]:
    if found is None:
        return []
    paths = categories.read_tree(ctx)

    def words(name: str, value: Any) -> str:
        if name == "category_id":
            return paths.path(value) or "(none)"
        if name == "pictures":
            return f"{len(value)}: " + ", ".join(alt or "without alt text" for _, alt in value)
        return rules.show(name, value)

    def raw(conflict: Conflict) -> str:
        if conflict.field == "pictures":
            return json.dumps(conflict.theirs)
        if conflict.field == "weight_g":
            return format_weight(conflict.theirs)
        return str(conflict.theirs if conflict.theirs is not None else "")

    return [
        ConflictShown(c.field, rules.LABELS[c.field], words(c.field, c.mine), words(c.field, c.theirs), raw(c))
        for c in found.merge.conflicts
    ]


OUTLINE = [
    ("identity", "Identity", ("name", "sku", "brand", "mpn", "gtin", "category_id")),
    ("copy", "Copy", ("description",)),
    ("pictures", "Pictures", ("pictures",)),
    ("prices", "Price and weight", ("price", "weight_g")),
]


def _mark(findings: list[Finding], fields: tuple[str, ...]) -> str:
    touching = [finding for finding in findings if finding.field in fields]
    return {"blocked": "crossed", "ready": "half", "strong": "full"}[str(readiness.verdict(touching))]


def _editor(
    request: Request,
    ctx: Ctx,
    signed: Any,
    typed: Typed,
    *,
    product: Product | None = None,
    said: str = "",
    conflict: SaveConflict | None = None,
    status: int = 200,
) -> Response:
    mirror = _mirror(ctx, typed, product)
    added = [(part, part.data(ctx, signed.actor, product)) for part in parts.all_parts()] if product else []
    trail = (
        history.of_records(ctx, signed.actor, {"product": product.id, "variant": product.variant_id}) if product else []
    )
    outline = [(key, label, _mark(mirror["findings"], fields)) for key, label, fields in OUTLINE]
    outline += [(part.key, part.label, part.mark(data)) for part, data in added]
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
        taken=[rules.LABELS[name] for name in conflict.merge.taken] if conflict else [],
        seen_pictures=json.dumps(_picture_pairs(conflict.theirs if conflict else product)),
        tree=categories.read_tree(ctx),
        may_edit=signed.actor.may(Role.EDITOR),
        trail=trail,
        outline=outline,
        statuses=list(Status),
        **mirror,
    )


def _picture_pairs(product: Product | None) -> list[tuple[int, str]]:
    return [(picture.media_id, picture.alt) for picture in product.values.pictures] if product else []


def _mirror(ctx: Ctx, typed: Typed, product: Product | None) -> dict[str, Any]:
    """What buyers will see, and what is missing for it."""
    values = rules.read(typed.fields, ctx.settings.currency, product.values if product else None).values
    facts = [PictureFacts(file.width, file.height, alt) for file, alt in typed.pictures]
    return {
        "seen": values,
        "seen_picture": typed.pictures[0] if typed.pictures else None,
        "findings": readiness.for_shop(values, facts),
    }


@router.post("/products/mirror/{product_id}")
@router.post("/products/mirror/new")
def mirror(request: Request, ctx: Ctx, signed: Signed, form: Form, product_id: int | None = None) -> Response:
    """The mirror for what is typed at this moment; writes nothing."""
    product = service.read(ctx, signed.actor, product_id) if product_id else None
    typed, _ = _read_form(ctx, form)
    return page(request, "products/mirror.html", product=product, **_mirror(ctx, typed, product))
