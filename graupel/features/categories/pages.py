"""The category trees, one category, and making one in place from wherever one is chosen."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import JSONResponse, Response
from slugify import slugify

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
from graupel.features.categories import counts, deleting, editing, service
from graupel.features.categories.editing import CategoryDetail
from graupel.features.categories.schemas import (
    Added,
    CategoryName,
    Deleting,
    Drawn,
    Further,
    Moved,
    MovedGoods,
    NewPath,
    Switched,
    Typed,
)
from graupel.features.categories.service import Category, Tree
from graupel.features.destinations.service import Seen
from graupel.features.media import service as media
from graupel.features.vocabulary import service as vocabulary
from graupel.features.wording import lensing
from graupel.features.wording.lensing import FieldSeen, Held
from graupel.web.frame import page
from graupel.web.security import Ctx, Signed, from_our_own_page
from graupel.web.sent import FormOf, QueryOf

router = APIRouter(dependencies=[Depends(from_our_own_page)])
FOUND = 100


@router.post("/categories")
def make(ctx: Ctx, signed: Signed, form: FormOf[NewPath]) -> JSONResponse:
    """Makes the category at a typed path for a chooser; asks back where one looks much like it."""
    try:
        if not form.sure and (near := service.near(ctx, signed.actor, form.path)):
            return JSONResponse({"near": [{"text": one.other, "why": one.why} for one in near]})
        made = service.make(ctx, signed.actor, form.path)
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


def _shown(request: Request, ctx: Context, chosen: int | None = None) -> Shown:
    seen: Seen = request.state.seen
    tree = ctx.db.run(lambda tx: service.through(ctx, tx, seen.lens))
    asked = Drawn.from_sent(request.query_params)
    found = tree.search(asked.q)
    chosen = chosen or asked.at
    way = [one.id for one in tree.way(chosen)[:-1]]
    unfolded = frozenset([*asked.open, *way])
    shop = seen.shop_id
    mine = [one for one in found if tree.shops.get(one.tree_id) == shop]
    return Shown(tree, counts.of(ctx), unfolded, chosen, asked.q, mine[:FOUND], len(mine) > FOUND, shop)


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


@router.post("/categories/add")
def add(ctx: Ctx, signed: Signed, form: FormOf[Added]) -> JSONResponse:
    """Makes one category, or a pasted branch; answers with the ids of its first level."""
    try:
        made = service.add(ctx, signed.actor, form.names, form.parent, form.before)
    except Refused as refusal:
        return _said(refusal)
    return JSONResponse({"made": made})


@router.post("/categories/trees")
def make_tree(request: Request, ctx: Ctx, signed: Signed, form: FormOf[CategoryName]) -> JSONResponse:
    """Makes a further tree."""
    try:
        return JSONResponse({"made": service.make_tree(ctx, signed.actor, form.name, request.state.seen.shop_id)})
    except Refused as refusal:
        return _said(refusal)


@router.post("/categories/move")
def move(ctx: Ctx, signed: Signed, form: FormOf[Moved]) -> JSONResponse:
    """Moves categories with all below them."""
    try:
        number = service.move(ctx, signed.actor, form.ids, form.parent, form.before)
    except Refused as refusal:
        return _said(refusal)
    return JSONResponse({"moved": number})


@router.post("/categories/{category_id:int}/rename")
def rename(request: Request, ctx: Ctx, signed: Signed, form: FormOf[CategoryName], category_id: int) -> JSONResponse:
    """Another name, in place; under a lens for that alone."""
    lens = request.state.seen.lens
    try:
        if lens.is_default:
            service.rename(ctx, signed.actor, category_id, form.name)
        else:
            service.translate_name(ctx, signed.actor, category_id, form.name, lens)
    except Refused as refusal:
        return _said(refusal)
    return JSONResponse({"name": form.name.strip()})


@router.post("/categories/{category_id:int}/switch")
def switch(ctx: Ctx, signed: Signed, form: FormOf[Switched], category_id: int) -> JSONResponse:
    """Hides a category with its branch, or shows it."""
    service.switch(ctx, signed.actor, category_id, hidden=form.hidden)
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
        own_fields=_own_fields(words, editing.values, Drawn.from_sent(request.query_params).field),
        attributes=words.attributes,
        leads=counts.leads(ctx, editing.detail.category.id, editing.values.lead_product_id),
        all_tags=sorted({*words.tags.values(), *editing.values.tags}),
        picture=media.read_many(ctx, [picture]).get(picture) if picture else None,
        **{"said": "", **data},
    )


def _own_fields(words: vocabulary.Vocabulary, values: CategoryValues, further: Sequence[int]) -> list[OwnField]:
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
def further_field(request: Request, ctx: Ctx, signed: Signed, asked: QueryOf[Further], category_id: int) -> Response:
    """One further field, to be filled."""
    words = vocabulary.read(ctx)
    shown = _own_fields(words, CategoryValues(), [asked.attribute or 0])
    return page(request, "categories/own_field.html", fields=shown, problems={}, may_edit=True)


@router.get("/categories/{category_id:int}")
def show_one(request: Request, ctx: Ctx, signed: Signed, category_id: int) -> Response:
    """One category beside the trees; for htmx it alone."""
    detail = editing.read(ctx, signed.actor, category_id)
    return _one(request, ctx, signed, _editing(ctx, request.state.seen, detail, detail.values, {}))


@router.post("/categories/{category_id:int}")
def save(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Typed], category_id: int) -> Response:
    """Saves what was typed, or shows it again with what is wrong."""
    detail = editing.read(ctx, signed.actor, category_id)
    raw = form.raw
    reading = rules.read(raw, detail.values, vocabulary.read(ctx).attributes)
    own, wrong = rules.read_own(form.own)
    problems = reading.problems + wrong
    if not problems:
        try:
            editing.save(ctx, signed.actor, category_id, reading.values, form.marks, own, list(form.still))
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
    return _one(request, ctx, signed, shown, marks_then=form.marks, status=422)


@router.post("/categories/{category_id:int}/preview")
def preview(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Typed], category_id: int) -> Response:
    """How a search engine would show what is typed at this moment; writes nothing."""
    detail = editing.read(ctx, signed.actor, category_id)
    values = rules.read(form.raw, detail.values).values
    typed = {f"own-{key}": text for key, text in form.own.items()}
    shown = _editing(ctx, request.state.seen, detail, values, typed)
    return page(request, "categories/preview.html", editing=shown)


# --- deleting, and goods that move ---------------------------------------------------------------------------


@router.get("/categories/{category_id:int}/delete")
def plan_deleting(request: Request, ctx: Ctx, signed: Signed, asked: QueryOf[Deleting], category_id: int) -> Response:
    """What deleting it does, before it is done."""
    goes = asked.branch == "goes"
    plan = deleting.plan_deleting(ctx, signed.actor, category_id, with_branch=goes, into=asked.into)
    return page(request, "categories/delete_page.html", part="categories/delete.html", plan=plan, trouble="")


@router.post("/categories/{category_id:int}/delete")
def delete(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Deleting], category_id: int) -> Response:
    """Deletes it as the dry run said."""
    with_branch, into = form.branch == "goes", form.into
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
def move_goods(request: Request, ctx: Ctx, signed: Signed, form: FormOf[MovedGoods], category_id: int) -> Response:
    """Moves all its goods to another category."""
    number = deleting.move_goods(ctx, signed.actor, category_id, form.into or 0)
    detail = editing.read(ctx, signed.actor, category_id)
    said = f"{number:,} {'product' if number == 1 else 'products'} moved. History can roll it back."
    return _one(request, ctx, signed, _editing(ctx, request.state.seen, detail, detail.values, {}), said=said)
