"""The category trees, one category, and making one in place from wherever one is chosen."""

from dataclasses import dataclass
from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import JSONResponse, Response
from slugify import slugify
from starlette.datastructures import FormData

from graupel.context import Context
from graupel.core import categories as rules
from graupel.core import search_preview
from graupel.core.attributes import Attribute, Fact, show_fact
from graupel.core.categories import CategoryValues
from graupel.core.errors import Refused
from graupel.core.problems import Problem, by_field
from graupel.core.resolve import CATEGORY
from graupel.core.roles import Identity, Role
from graupel.core.search_preview import Preview
from graupel.core.typed import number, numbers
from graupel.features.categories import counts, deleting, editing, service
from graupel.features.categories.editing import CategoryDetail
from graupel.features.categories.service import Category, Tree
from graupel.features.destinations.service import Seen
from graupel.features.media import service as media
from graupel.features.vocabulary import service as vocabulary
from graupel.features.wording import lensing
from graupel.features.wording.lensing import FieldSeen, Held
from graupel.web import marks
from graupel.web.frame import page
from graupel.web.security import Ctx, Form, Signed, from_our_own_page

router = APIRouter(dependencies=[Depends(from_our_own_page)])
FOUND = 100


@router.post("/categories")
def make(ctx: Ctx, signed: Signed, form: Form) -> JSONResponse:
    """Makes the category at a typed path for a chooser; asks back where one looks much like it."""
    try:
        if "sure" not in form and (near := service.near(ctx, signed.actor, str(form.get("path", "")))):
            return JSONResponse({"near": [{"text": one.other, "why": one.why} for one in near]})
        made = service.make(ctx, signed.actor, str(form.get("path", "")))
    except Refused as refusal:
        return JSONResponse({"problem": refusal.problems[0].message}, 422)
    return JSONResponse({"value": str(made.id), "text": made.path})


# --- the trees -----------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Shown:
    """What of the trees is drawn: which categories are unfolded, which is chosen, or what was searched for."""

    tree: Tree
    counts: counts.Counts
    unfolded: frozenset[int]
    chosen: int | None
    search: str
    found: list[Category]
    more: bool
    shop: int

    @property
    def trees(self) -> list[tuple[int, str]]:
        """The trees of the shop that the lens looks at."""
        return [(key, self.tree.trees[key]) for key in self.tree.of_shop(self.shop)]


def _ids(text: str) -> list[int]:
    return numbers(text.split("."))


def _shown(request: Request, ctx: Context, chosen: int | None = None) -> Shown:
    seen: Seen = request.state.seen
    tree = ctx.db.run(lambda tx: service.through(ctx, tx, seen.lens))
    query = request.query_params
    search = query.get("q", "").strip()[:100]
    found = tree.search(search)
    at = query.get("at", "")
    chosen = chosen or number(at)
    way = [one.id for one in tree.way(chosen)[:-1]]
    unfolded = frozenset([*_ids(query.get("open", "")), *way])
    shop = seen.shop_id
    mine = [one for one in found if tree.shops.get(one.tree_id) == shop]
    return Shown(tree, counts.of(ctx), unfolded, chosen, search, mine[:FOUND], len(mine) > FOUND, shop)


def _page(
    request: Request, ctx: Context, signed: Identity, part: str, *, chosen: int | None = None, **data: Any
) -> Response:
    return page(
        request,
        "categories/page.html",
        part=part,
        status=data.pop("status", 200),
        shown=_shown(request, ctx, chosen),
        may_edit=signed.actor.may(Role.EDITOR),
        **{"editing": None, "marks_then": None, **data},
    )


@router.get("/categories")
def show(request: Request, ctx: Ctx, signed: Signed) -> Response:
    """The trees; for htmx they alone, unfolded as they were."""
    return _page(request, ctx, signed, "categories/trees.html")


@router.get("/categories/{category_id:int}/below")
def below(request: Request, ctx: Ctx, signed: Signed, category_id: int) -> Response:
    """The children of a category, as it is unfolded."""
    shown = _shown(request, ctx)
    return page(
        request,
        "categories/level.html",
        shown=shown,
        members=shown.tree.children(shown.tree.by_id[category_id]) if category_id in shown.tree.by_id else [],
        parent=category_id,
        may_edit=signed.actor.may(Role.EDITOR),
    )


def _said(refusal: Refused) -> JSONResponse:
    return JSONResponse({"problem": refusal.problems[0].message}, 422)


def _number(form: FormData, name: str) -> int | None:
    """An id, or a parent, which is negative for a tree."""
    text = str(form.get(name, ""))
    found = number(text.removeprefix("-"))
    return -found if found is not None and text.startswith("-") else found


@router.post("/categories/add")
def add(ctx: Ctx, signed: Signed, form: Form) -> JSONResponse:
    """Makes one category, or a pasted branch; answers with the ids of its first level."""
    try:
        made = service.add(
            ctx, signed.actor, str(form.get("names", "")), _number(form, "parent") or 0, _number(form, "before")
        )
    except Refused as refusal:
        return _said(refusal)
    return JSONResponse({"made": made})


@router.post("/categories/trees")
def make_tree(request: Request, ctx: Ctx, signed: Signed, form: Form) -> JSONResponse:
    """Makes a further tree."""
    try:
        name, shop = str(form.get("name", "")), request.state.seen.shop_id
        return JSONResponse({"made": service.make_tree(ctx, signed.actor, name, shop)})
    except Refused as refusal:
        return _said(refusal)


@router.post("/categories/move")
def move(ctx: Ctx, signed: Signed, form: Form) -> JSONResponse:
    """Moves categories with all below them."""
    try:
        number = service.move(
            ctx, signed.actor, _ids(str(form.get("ids", ""))), _number(form, "parent") or 0, _number(form, "before")
        )
    except Refused as refusal:
        return _said(refusal)
    return JSONResponse({"moved": number})


@router.post("/categories/{category_id:int}/rename")
def rename(request: Request, ctx: Ctx, signed: Signed, form: Form, category_id: int) -> JSONResponse:
    """Another name, in place; under a lens for that alone."""
    lens, name = request.state.seen.lens, str(form.get("name", ""))
    try:
        if lens.is_default:
            service.rename(ctx, signed.actor, category_id, name)
        else:
            service.translate_name(ctx, signed.actor, category_id, name, lens)
    except Refused as refusal:
        return _said(refusal)
    return JSONResponse({"name": str(form.get("name", "")).strip()})


@router.post("/categories/{category_id:int}/switch")
def switch(ctx: Ctx, signed: Signed, form: Form, category_id: int) -> JSONResponse:
    """Hides a category with its branch, or shows it."""
    service.switch(ctx, signed.actor, category_id, hidden=form.get("hidden") == "1")
    return JSONResponse({})


# --- one category --------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class OwnField:
    """An attribute given to a category, its value, and that as text where it has no choices."""

    attribute: Attribute
    fact: Fact
    text: str


@dataclass(frozen=True)
class Editing:
    """One category as its page has it: what is kept, what stands in the fields, and what is wrong with that."""

    detail: CategoryDetail
    values: CategoryValues
    typed: dict[str, str]
    problems: dict[str, list[Problem]]
    preview: Preview
    at: dict[str, FieldSeen]


def _editing(
    ctx: Context, seen: Seen, detail: CategoryDetail, written: CategoryValues, typed: dict[str, str], **more: Any
) -> Editing:
    typed_own, _ = rules.read_own({name[4:]: text for name, text in typed.items() if name.startswith("own-")})
    values = editing.seen(written, {**detail.own, **typed_own}, seen.lens)
    part = values.address_part or slugify(values.name)
    address = f"{ctx.settings.address}{seen.shop_path}/c/{detail.category.id}-{part}"
    preview = search_preview.preview(
        name=values.name,
        shop=seen.destination.name,
        meta_title=values.meta_title,
        meta_description=values.meta_description,
        short_text="",
        description=values.description,
        address=values.canonical or address,
    )
    words = {name: getattr(written, name) for name in rules.WORDS}
    at = lensing.fields(Held(CATEGORY, words, detail.own, detail.sources), typed, seen)
    return Editing(detail, written, typed, more.get("problems", {}), preview, at)


def _one(request: Request, ctx: Context, signed: Identity, editing: Editing, **data: Any) -> Response:
    words = vocabulary.read(ctx)
    picture = editing.values.picture_id
    return _page(
        request,
        ctx,
        signed,
        "categories/one.html",
        chosen=editing.detail.category.id,
        editing=editing,
        showing=rules.flat(editing.detail.values, editing.detail.own),
        kinds=rules.KIND_WORDS,
        layouts=rules.LAYOUT_WORDS,
        own_fields=_own_fields(words, editing.values, _ids(request.query_params.get("field", ""))),
        attributes=words.attributes,
        leads=counts.leads(ctx, editing.detail.category.id, editing.values.lead_product_id),
        all_tags=sorted({*words.tags.values(), *editing.values.tags}),
        picture=media.read_many(ctx, [picture]).get(picture) if picture else None,
        **{"said": "", **data},
    )


def _own_fields(words: vocabulary.Vocabulary, values: CategoryValues, further: list[int]) -> list[OwnField]:
    """The attributes that the category has, and those that are being added, with what stands in them."""
    ids = dict.fromkeys([*values.facts, *further])
    return [
        OwnField(words.attributes[key], values.facts.get(key, Fact()), _fact_text(words, values, key))
        for key in ids
        if key in words.attributes
    ]


def _fact_text(words: vocabulary.Vocabulary, values: CategoryValues, key: int) -> str:
    fact, attribute = values.facts.get(key, Fact()), words.attributes[key]
    return fact.text if fact.quantity is None else show_fact(attribute, fact)


@router.get("/categories/{category_id:int}/field")
def further_field(request: Request, ctx: Ctx, signed: Signed, category_id: int, attribute: int = 0) -> Response:
    """One further field, to be filled."""
    words = vocabulary.read(ctx)
    shown = _own_fields(words, CategoryValues(), [attribute])
    return page(request, "categories/own_field.html", fields=shown, problems={}, may_edit=True)


@router.get("/categories/{category_id:int}")
def show_one(request: Request, ctx: Ctx, signed: Signed, category_id: int) -> Response:
    """One category beside the trees; for htmx it alone."""
    detail = editing.read(ctx, signed.actor, category_id)
    return _one(request, ctx, signed, _editing(ctx, request.state.seen, detail, detail.values, {}))


SINGLE = (
    "name", "kind", "link", "description", "address_part", "canonical", "meta_title", "meta_description", "picture_id",
    "picture_alt", "layout", "lead_product_id",
)  # fmt: skip


def _raw(form: FormData) -> dict[str, Any]:
    raw: dict[str, Any] = {name: str(form.get(name, "")) for name in SINGLE if name in form}
    raw |= {name: str(value) for name, value in form.items() if name.startswith("own-")}
    raw |= {"hidden": form.get("shown") != "yes", "in_navigation": form.get("in_navigation") == "yes"}
    for name in (str(one) for one in form.getlist("has")):
        if name.startswith("fact-") and number(name[5:]) is not None:
            raw[name] = [str(one) for one in form.getlist(name)]
    return raw | {"tags": [str(one) for one in form.getlist("tags")]}


@router.post("/categories/{category_id:int}")
def save(request: Request, ctx: Ctx, signed: Signed, form: Form, category_id: int) -> Response:
    """Saves what was typed, or shows it again with what is wrong."""
    detail = editing.read(ctx, signed.actor, category_id)
    raw = _raw(form)
    reading = rules.read(raw, detail.values, vocabulary.read(ctx).attributes)
    own, wrong = rules.read_own({name[4:]: value for name, value in raw.items() if name.startswith("own-")})
    confirmed = [name.removeprefix("still-own-") for name in form if name.startswith("still-own-")]
    problems = reading.problems + wrong
    if not problems:
        try:
            editing.save(ctx, signed.actor, category_id, reading.values, marks.read(form), own, confirmed)
            detail = editing.read(ctx, signed.actor, category_id)
            seen = request.state.seen
            return _one(request, ctx, signed, _editing(ctx, seen, detail, detail.values, {}), said="Saved.")
        except Refused as refusal:
            problems = refusal.problems
    typed = {name: value for name, value in raw.items() if isinstance(value, str)}
    shown = _editing(
        ctx,
        request.state.seen,
        detail,
        reading.values,
        typed,
        problems=by_field(problems),
    )
    return _one(request, ctx, signed, shown, marks_then=marks.read(form), status=422)


@router.post("/categories/{category_id:int}/preview")
def preview(request: Request, ctx: Ctx, signed: Signed, form: Form, category_id: int) -> Response:
    """How a search engine would show what is typed at this moment; writes nothing."""
    detail = editing.read(ctx, signed.actor, category_id)
    raw = _raw(form)
    values = rules.read(raw, detail.values).values
    typed = {name: value for name, value in raw.items() if name.startswith("own-")}
    shown = _editing(ctx, request.state.seen, detail, values, typed)
    return page(request, "categories/preview.html", editing=shown)


# --- deleting, and goods that move ---------------------------------------------------------------------------


@router.get("/categories/{category_id:int}/delete")
def plan_deleting(request: Request, ctx: Ctx, signed: Signed, category_id: int) -> Response:
    """What deleting it does, before it is done."""
    query = request.query_params
    into = query.get("into", "")
    plan = deleting.plan_deleting(
        ctx,
        signed.actor,
        category_id,
        with_branch=query.get("branch") == "goes",
        into=number(into),
    )
    return page(request, "categories/delete_page.html", part="categories/delete.html", plan=plan, trouble="")


@router.post("/categories/{category_id:int}/delete")
def delete(request: Request, ctx: Ctx, signed: Signed, form: Form, category_id: int) -> Response:
    """Deletes it as the dry run said."""
    with_branch, into = form.get("branch") == "goes", _number(form, "into")
    try:
        deleting.delete(ctx, signed.actor, category_id, with_branch=with_branch, into=into)
    except Refused as refusal:
        plan = deleting.plan_deleting(ctx, signed.actor, category_id, with_branch=with_branch, into=into)
        message = refusal.problems[0].message
        return page(
            request,
            "categories/delete_page.html",
            part="categories/delete.html",
            status=422,
            plan=plan,
            trouble=message,
        )
    return Response(status_code=204, headers={"HX-Redirect": "/categories"})


@router.post("/categories/{category_id:int}/goods")
def move_goods(request: Request, ctx: Ctx, signed: Signed, form: Form, category_id: int) -> Response:
    """Moves all its goods to another category."""
    into = _number(form, "into") or 0
    number = deleting.move_goods(ctx, signed.actor, category_id, into)
    detail = editing.read(ctx, signed.actor, category_id)
    said = f"{number:,} {'product' if number == 1 else 'products'} moved. History can roll it back."
    return _one(request, ctx, signed, _editing(ctx, request.state.seen, detail, detail.values, {}), said=said)
