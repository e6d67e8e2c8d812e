"""Relations for programs, under /api/v1."""

from collections.abc import Sequence
from datetime import UTC, datetime
from decimal import Decimal
from typing import Annotated, Literal

from fastapi import APIRouter
from pydantic import AwareDatetime, BaseModel, ConfigDict, Field

from graupel.core import together
from graupel.core.choices import AddsBy
from graupel.core.errors import Refused
from graupel.core.problems import Problem
from graupel.features.products import service as products
from graupel.features.products.api import RecordId, TokenActor
from graupel.features.relations import service
from graupel.features.relations.cheaper import Wish
from graupel.features.relations.service import Related
from graupel.web.problem import responses
from graupel.web.security import Ctx

router = APIRouter()


class LessTogether(BaseModel):
    """What the other costs less together: a percentage, or an amount in the catalogue's currency; from and until."""

    model_config = ConfigDict(extra="forbid")
    by: Literal["percent", "fixed"]
    amount: Annotated[Decimal, Field(gt=0, le=99_999_999, decimal_places=2)]
    begins: AwareDatetime | None = None
    ends: AwareDatetime | None = None


class RelatedProduct(BaseModel):
    """A product beside another, as a kind of relation, by its name."""

    model_config = ConfigDict(extra="forbid")
    product_id: Annotated[int, Field(ge=1, le=2**32 - 1)]
    kind: Annotated[str, Field(min_length=1, max_length=80)]
    less: LessTogether | None = None


class RelatedList(BaseModel):
    """What a product has beside it, in its order."""

    model_config = ConfigDict(extra="forbid")
    related: Annotated[Sequence[RelatedProduct], Field(max_length=service.MOST)]


def _list(ctx: Ctx, actor: TokenActor, product_id: int) -> RelatedList:
    products.read(ctx, actor, product_id)
    found = ctx.db.run(lambda tx: service.of_product(ctx, tx, product_id))
    kinds = {row["id"]: row["name"] for row in ctx.db.run(service.kinds)}
    return RelatedList(related=[_out(one, kinds[one.row["relation_kind_id"]]) for one in found])


def _out(one: Related, kind: str) -> RelatedProduct:
    row = one.row

    def moment(at: datetime | None) -> datetime | None:
        return at.replace(tzinfo=UTC) if at else None

    by = AddsBy(row["less_by"])
    less = None
    if by is not AddsBy.NOTHING:
        said: Literal["percent", "fixed"] = "percent" if by is AddsBy.PERCENT else "fixed"
        span = (moment(row["less_from"]), moment(row["less_until"]))
        less = LessTogether(by=said, amount=row["less"], begins=span[0], ends=span[1])
    return RelatedProduct(product_id=row["other_id"], kind=kind, less=less)


@router.get("/products/{product_id}/related", response_model=RelatedList, responses=responses(403, 404, 422))
def read_related(ctx: Ctx, actor: TokenActor, product_id: RecordId) -> RelatedList:
    """What a product has beside it."""
    return _list(ctx, actor, product_id)


@router.put("/products/{product_id}/related", response_model=RelatedList, responses=responses(403, 404, 413, 422))
def write_related(ctx: Ctx, actor: TokenActor, product_id: RecordId, body: RelatedList) -> RelatedList:
    """Make these what a product has beside it, in this order. Of a kind that holds both ways the other has it too."""
    product = products.read(ctx, actor, product_id)
    kinds = {row["name"].casefold(): row["id"] for row in ctx.db.run(service.kinds)}
    unknown = dict.fromkeys(one.kind for one in body.related if one.kind.casefold() not in kinds)
    if unknown:
        said = "There is no kind of relation “{}”. Make it first."
        raise Refused([Problem("relation.kind", said.format(kind), "related") for kind in unknown])
    wishes = [_wish(one, kinds[one.kind.casefold()]) for one in body.related]
    service.relate(ctx, actor, product_id, wishes, product.values.name)
    return _list(ctx, actor, product_id)


def _wish(one: RelatedProduct, kind_id: int) -> Wish:
    if one.less is None:
        return Wish(kind_id, one.product_id)
    begins, ends = (at.isoformat(timespec="seconds") if at else "" for at in (one.less.begins, one.less.ends))
    less = together.show(AddsBy(one.less.by), one.less.amount)
    return Wish(kind_id, one.product_id, less, begins, ends)
