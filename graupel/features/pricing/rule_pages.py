"""How prices of destinations follow from the catalogue's, and promotions."""

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from graupel.context import Context
from graupel.core import moments
from graupel.core.endings import Way
from graupel.core.roles import Identity, Role
from graupel.core.sales import PROMOTION_WORDS
from graupel.features.destinations import service as destinations
from graupel.features.destinations import terms as destination_terms
from graupel.features.pricing import overview, promotions, selling
from graupel.features.pricing.schemas import PromotionTyped, TermsTyped
from graupel.web.attempts import FRESH, Attempt, attempt
from graupel.web.frame import page
from graupel.web.security import Ctx, Signed, from_our_own_page
from graupel.web.sent import FormOf

router = APIRouter(prefix="/prices", dependencies=[Depends(from_our_own_page)])


# --- price rules ---------------------------------------------------------------------------------------------


@router.get("/rules")
def rules(request: Request, ctx: Ctx, signed: Signed) -> Response:
    """What each destination makes of the catalogue's prices."""
    return _rules(request, ctx, signed)


def _rules(request: Request, ctx: Context, signed: Identity, tried: Attempt = FRESH) -> Response:
    signed.actor.require(Role.VIEWER)
    found = destinations.read_all(ctx)
    return page(
        request,
        "pricing/rules.html",
        part="pricing/rules_part.html",
        all=found.all,
        texts={one.code: _texts(one) for one in found.all},
        marks={one.code: destination_terms.flat(one.terms) for one in found.all},
        ways=tuple(Way),
        may_edit=signed.actor.may(Role.EDITOR),
        **tried.shown,
    )


def _texts(one: destinations.Destination) -> dict[str, str]:
    """What stands in the fields of a destination's rule."""
    terms, ending = one.terms, one.terms.price_ending
    return {
        "rate": f"{terms.rate.normalize():f}" if terms.rate is not None else "",
        "rate_on": terms.rate_on.isoformat() if terms.rate_on else "",
        "percent": f"{terms.percent.normalize():f}" if terms.percent else "",
        "amount": f"{terms.amount:.2f}" if terms.amount else "",
        "ending": ending.pattern if ending else "",
        "ending_way": str(ending.way) if ending else str(Way.NEAREST),
        "jump_percent": "" if terms.jump_percent is None else str(terms.jump_percent),
    }


@router.post("/rules/{code}")
def save_rule(request: Request, ctx: Ctx, signed: Signed, form: FormOf[TermsTyped], code: str) -> Response:
    """Writes the rule of a destination; "main" is the catalogue."""
    where = "" if code == "main" else code
    tried = attempt(
        lambda: destination_terms.save(ctx, signed.actor, where, form.typed, form.marks), where, form.typed, form.marks
    )
    return _rules(request, ctx, signed, tried)


# --- promotions ----------------------------------------------------------------------------------------------


@router.get("/promotions")
def show_promotions(request: Request, ctx: Ctx, signed: Signed) -> Response:
    """All promotions."""
    return _promotions(request, ctx, signed)


def _promotions(request: Request, ctx: Context, signed: Identity, tried: Attempt = FRESH) -> Response:
    zone = selling.zone_of(ctx)
    found = promotions.every(ctx, signed.actor)
    texts = {
        one.id: {
            "code": one.code,
            "name": one.name,
            "kind": str(one.kind),
            "begins": moments.typed(one.begins, zone),
            "ends": moments.typed(one.ends, zone),
        }
        for one in found
    }
    return page(
        request,
        "pricing/promotions.html",
        part="pricing/promotions_part.html",
        promotions=found,
        texts=texts,
        marks=promotions.flat(ctx),
        kinds=PROMOTION_WORDS,
        sales=overview.sales_by_promotion(ctx, signed.actor),
        may_edit=signed.actor.may(Role.EDITOR),
        **tried.shown,
    )


@router.post("/promotions")
@router.post("/promotions/{promotion_id:int}")
def save_promotion(
    request: Request, ctx: Ctx, signed: Signed, form: FormOf[PromotionTyped], promotion_id: int | None = None
) -> Response:
    """Makes a promotion, or changes one."""
    tried = attempt(
        lambda: promotions.save(ctx, signed.actor, promotion_id, form.typed, form.marks),
        promotion_id or 0,
        form.typed,
        form.marks,
    )
    return _promotions(request, ctx, signed, tried)


@router.post("/promotions/{promotion_id:int}/delete")
def delete_promotion(request: Request, ctx: Ctx, signed: Signed, promotion_id: int) -> Response:
    """Takes away a promotion to which no sale belongs."""
    tried = attempt(lambda: promotions.remove(ctx, signed.actor, promotion_id), promotion_id)
    return _promotions(request, ctx, signed, tried)
