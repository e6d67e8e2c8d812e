"""Choices: all, one with what a buyer sees of it beside, and the part of the product editor."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from decimal import Decimal
from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from graupel.context import Context
from graupel.core import choice_answers, choice_making, choices
from graupel.core.choices import Answer, Choice, Chosen, Kind
from graupel.core.delivery import WEEKDAYS
from graupel.core.phrases import phrase
from graupel.core.price_rules import PriceRule
from graupel.core.roles import Actor, Identity, Role
from graupel.db import Tx
from graupel.features.choices import reading, service, turning, uses
from graupel.features.choices.schemas import ChoiceTyped, Looked, UsesTyped
from graupel.features.destinations.service import Seen
from graupel.features.products import service as products
from graupel.features.products.service import Product
from graupel.features.terms import stocks
from graupel.features.vocabulary import service as vocabulary
from graupel.web.attempts import FRESH, Attempt, attempt
from graupel.web.frame import page
from graupel.web.security import Ctx, Signed, from_our_own_page
from graupel.web.sent import FormOf, QueryOf

router = APIRouter(prefix="/choices", dependencies=[Depends(from_our_own_page)])
#: What the buyer does, in words.
KINDS = {
    Kind.ONE: "picks one",
    Kind.SEVERAL: "picks several",
    Kind.AMOUNTS: "says how many of each",
    Kind.LINE: "writes a line",
    Kind.TEXT: "writes a text",
    Kind.NUMBER: "gives a number",
    Kind.DAY: "picks a day",
    Kind.FILE: "hands in a file",
}
#: What a piece costs in the preview.
SAMPLE = Decimal("10.00")


@router.get("")
def index(request: Request, ctx: Ctx, signed: Signed) -> Response:
    """All choices that any product can ask."""
    return page(
        request,
        "choices/choices.html",
        found=reading.list_shared(ctx, signed.actor),
        kinds=KINDS,
        adds=_adds_in_words,
        may_edit=signed.actor.may(Role.EDITOR),
    )


def _adds_in_words(entry: choices.Entry) -> str:
    return choice_making.show_adds(entry) + (" once" if entry.once else "")


# --- one -----------------------------------------------------------------------------------------------------


@router.get("/new")
def new(request: Request, ctx: Ctx, signed: Signed, asked: QueryOf[Looked]) -> Response:
    """An empty form, for a choice of one product or of any."""
    signed.actor.require(Role.EDITOR)
    return _page(request, ctx, signed, None, asked.product)


@router.get("/{choice_id:int}")
def show(request: Request, ctx: Ctx, signed: Signed, choice_id: int) -> Response:
    """One choice."""
    return _page(request, ctx, signed, choice_id)


def _page(
    request: Request,
    ctx: Context,
    signed: Identity,
    choice_id: int | None,
    product_id: int | None = None,
    tried: Attempt = FRESH,
) -> Response:
    detail = reading.read(ctx, signed.actor, choice_id) if choice_id else None
    owner = detail.choice.product_id if detail else product_id
    again = tried.typed if tried.problems else None
    there = detail.choice if detail else Choice(0, "", "")
    rows = again["rows"] if again else [choice_making.entry_texts(one) for one in there.entries]
    raw = again["raw"] if again else choice_making.texts(there)
    shown = {name: value for name, value in tried.shown.items() if name != "said"}
    looked = try_out(ctx, raw, rows, None)
    return page(
        request,
        "choices/choice.html",
        part="choices/choice_part.html",
        detail=detail,
        product=products.read(ctx, signed.actor, owner) if owner else None,
        name=detail.choice.name if detail else "",
        t=raw,
        rows=rows,
        marks=service.flat(there) if detail else None,
        others=detail.others if detail else reading.others_of(ctx, owner),
        kinds=KINDS,
        fields=choice_making.FIELD_KINDS,
        picks=[kind for kind in Kind if kind in choices.PICKED],
        gives=[kind for kind in Kind if kind not in choices.PICKED],
        weekdays=list(enumerate(WEEKDAYS)),
        tried=looked,
        faces={f"{one.media_id}": one.swatch_picture for one in looked.choice.entries if one.media_id},
        may_edit=signed.actor.may(Role.EDITOR),
        said_at=tried.shown["said"],
        say=_say(request),
        **shown,
    )


@router.post("")
@router.post("/{choice_id:int}")
def save(
    request: Request, ctx: Ctx, signed: Signed, form: FormOf[ChoiceTyped], choice_id: int | None = None
) -> Response:
    """Makes a choice, or writes it."""
    made: list[int] = []
    tried = attempt(
        lambda: made.append(service.save(ctx, signed.actor, choice_id, form.raw, form.rows, form.marks, form.product)),
        "choice",
        {"raw": form.raw, "rows": form.rows},
        form.marks,
    )
    if made and choice_id is None:
        back = f"/products/{form.product}#choices" if form.product else f"/choices/{made[0]}"
        return Response(status_code=204, headers={"HX-Redirect": back})
    return _page(request, ctx, signed, choice_id, form.product, tried)


@router.post("/{choice_id:int}/delete")
def delete(request: Request, ctx: Ctx, signed: Signed, choice_id: int) -> Response:
    """Takes a choice away, wherever it is asked."""
    owner = reading.read(ctx, signed.actor, choice_id).choice.product_id
    service.remove(ctx, signed.actor, choice_id)
    return Response(status_code=204, headers={"HX-Redirect": f"/products/{owner}#choices" if owner else "/choices"})


@router.post("/{choice_id:int}/reusable")
def make_reusable(request: Request, ctx: Ctx, signed: Signed, choice_id: int) -> Response:
    """Lets other products ask a choice that was one product's alone."""
    tried = attempt(lambda: service.make_reusable(ctx, signed.actor, choice_id), "choice")
    if tried.problems:
        detail = reading.read(ctx, signed.actor, choice_id).choice
        typed = {"raw": choice_making.texts(detail), "rows": [choice_making.entry_texts(e) for e in detail.entries]}
        tried = replace(tried, typed=typed)
    return _page(request, ctx, signed, choice_id, tried=tried)


def _say(request: Request) -> Callable[..., str]:
    """The shop window's own words in the language of the lens."""
    lang = request.state.seen.language
    return lambda words, *values: phrase(words, lang, *values)


# --- tried out -----------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Tried:
    """A choice as it stands in its form, as a buyer would see it, with what was answered in the preview.

    ``adds``: by choice and entry what it adds to ``price``; ``says``: what is wrong with the answer; ``attribute``: one
    that it repeats.
    """

    choice: Choice
    answer: Answer | None
    adds: dict[tuple[int, int], Decimal]
    chosen: Chosen
    price: Decimal
    says: str
    given_away: bool
    attribute: str = ""


def try_out(ctx: Context, raw: dict[str, str], rows: list[dict[str, str]], sent: dict[str, Any] | None) -> Tried:
    """The preview of a form. ``sent``: what was answered in it; None: nothing yet, its defaults stand there."""
    typed, _ = choice_making.read(raw, rows, Choice(1, "", ""), ctx.settings.currency, {})
    entries = tuple(replace(one, id=place) for place, one in enumerate(typed.entries, 1))
    choice = replace(typed, entries=entries, when=None, when_entry=None)
    choice = ctx.db.run(lambda tx: reading.with_pictures(tx, choice))
    answers = choices.defaults([choice]) if sent is None else choice_answers.read([choice], sent)
    wrong = (
        choice_answers.wrong([choice], answers, ctx.db.run(lambda tx: stocks.today(ctx, tx)))
        if sent is not None
        else {}
    )
    says, places = wrong.get(choice.id, ("", ()))
    rule = PriceRule()
    return Tried(
        choice,
        answers.get(choice.id),
        {(choice.id, one.id): choices.adds(one, SAMPLE, rule) for one in entries},
        choices.chosen([choice], answers, SAMPLE, "SKU", rule),
        SAMPLE,
        choice_answers.own_sentence(choice, answers) or says.format(*places) if says else "",
        choices.least_price([choice], SAMPLE, rule) < 0,
        choices.attribute_meant(choice, _attributes(ctx)),
    )


def _attributes(ctx: Context) -> dict[str, list[str]]:
    """The attributes that variants may differ by, with the labels of their choices."""
    found = vocabulary.read(ctx).attributes.values()
    return {one.name: [choice.label for choice in one.choices] for one in found if one.can_vary}


@router.post("/try")
def try_it(request: Request, ctx: Ctx, signed: Signed, form: FormOf[ChoiceTyped]) -> Response:
    """What a buyer would see of what stands in the form, and what an answer would add; writes nothing."""
    answers = {f"c1{rest}": said for rest, said in form.answers.items()}
    found = try_out(ctx, form.raw, form.rows, answers or None)
    return page(request, "choices/tried.html", tried=found, say=_say(request))


# --- the part of the product editor --------------------------------------------------------------------------


def part_data(ctx: Context, actor: Actor, product: Product, seen: Seen) -> dict[str, Any]:
    """What the editor's part shows."""
    repeated = _attributes(ctx)

    def work(tx: Tx) -> dict[str, Any]:
        asked = reading.of_product(tx, product.id)
        there = {one.id for one in asked}
        return {
            "asked": asked,
            "marks": {"choices": [str(one.id) for one in asked]},
            "free": [one for one in reading.shared(ctx, tx).values() if one.id not in there],
            "names": {one.id: one.name for one in asked},
            "meant": {
                one.id: name
                for one in asked
                if turning.can_vary(one) and (name := choices.attribute_meant(one, repeated))
            },
            "of_axis": turning.meant_as_choice(product),
            "given_away": choices.least_price(asked, product.prices.low) < 0 if product.prices.low else False,
        }

    return ctx.db.run(work) | {"kinds": KINDS, "adds": _adds_in_words, "may_edit": actor.may(Role.EDITOR)}


def part_mark(data: dict[str, Any]) -> str:
    """The shape of its mark."""
    return "half" if data["given_away"] else "full" if data["asked"] else "dash"


product_router = APIRouter(prefix="/products/{product_id}/choices", dependencies=[Depends(from_our_own_page)])


@product_router.post("")
def save_uses(request: Request, ctx: Ctx, signed: Signed, form: FormOf[UsesTyped], product_id: int) -> Response:
    """Makes the choices that are asked with a product these, in this order."""
    product = products.read(ctx, signed.actor, product_id)
    wanted = [*form.choices, *([form.add] if form.add else [])]
    tried = attempt(
        lambda: uses.ask(ctx, signed.actor, product_id, wanted, product.values.name, form.marks),
        "choices",
        wanted,
        form.marks,
    )
    product = products.read(ctx, signed.actor, product_id)
    data = part_data(ctx, signed.actor, product, request.state.seen)
    return page(request, "choices/part.html", product=product, data=data, **tried.shown)


@product_router.post("/{choice_id:int}/vary")
def vary(ctx: Ctx, signed: Signed, product_id: int, choice_id: int) -> Response:
    """Has the product differ by what a choice asks."""
    turning.to_axis(ctx, signed.actor, product_id, choice_id)
    return Response(status_code=204, headers={"HX-Refresh": "true"})


@product_router.post("/of-axis")
def of_axis(ctx: Ctx, signed: Signed, product_id: int) -> Response:
    """Asks what the product differs by as a choice instead."""
    turning.to_choice(ctx, signed.actor, product_id)
    return Response(status_code=204, headers={"HX-Refresh": "true"})
