"""Kits for programs, under /api/v1."""

from collections.abc import Sequence
from decimal import Decimal
from typing import Annotated

from fastapi import APIRouter
from pydantic import BaseModel, ConfigDict, Field

from graupel.core.errors import Refused
from graupel.core.kits import MOST_OF_ONE, MOST_PARTS, PICK_LENGTH, PricedBy
from graupel.core.problems import Problem
from graupel.core.resolve import DEFAULT_LENS
from graupel.features.kits import reading, service, store
from graupel.features.kits.service import Wish
from graupel.features.products import service as products
from graupel.features.products.api import RecordId, TokenActor
from graupel.web.problem import responses
from graupel.web.security import Ctx

router = APIRouter()
Percent = Annotated[Decimal, Field(ge=0, lt=100, decimal_places=2)]


class KitPartIn(BaseModel):
    """So many or so much of a variant. ``pick``: parts with the same words are a pick; blank: always in it."""

    model_config = ConfigDict(extra="forbid")
    sku: Annotated[str, Field(min_length=1, max_length=64)]
    quantity: Annotated[Decimal, Field(gt=0, lt=MOST_OF_ONE, decimal_places=2)] = Decimal(1)
    pick: Annotated[str, Field(max_length=PICK_LENGTH, pattern=r"^[^\x00-\x1f]*$")] = ""


class KitIn(BaseModel):
    """What a product is made of; of nothing it is no kit. ``priced_by``: its own price, or the sum of its parts less
    ``percent``."""

    model_config = ConfigDict(extra="forbid")
    parts: Annotated[list[KitPartIn], Field(max_length=MOST_PARTS)]
    priced_by: PricedBy = PricedBy.OWN
    percent: Percent = Decimal(0)


class KitPartOut(BaseModel):
    """A part; ``gone``: it is archived or not there any more."""

    sku: str
    quantity: Decimal
    pick: str
    gone: bool


class KitOut(BaseModel):
    """What a product is made of. ``ready`` and ``most``: how many can be made at once, and be ordered; null: no end."""

    parts: Sequence[KitPartOut]
    priced_by: PricedBy
    percent: Decimal
    ready: Decimal | None
    most: Decimal | None


def _kit(ctx: Ctx, actor: TokenActor, product_id: int) -> KitOut:
    products.read(ctx, actor, product_id)
    kit = ctx.db.run(lambda tx: reading.of_product(ctx, tx, product_id, DEFAULT_LENS))
    parts = [KitPartOut(sku=one.sku, quantity=one.quantity, pick=one.pick, gone=one.gone) for one in kit.parts]
    makes = kit.makes
    return KitOut(parts=parts, priced_by=kit.priced_by, percent=kit.percent, ready=makes.ready, most=makes.most)


@router.get("/products/{product_id}/kit", response_model=KitOut, responses=responses(403, 404, 422))
def read_kit(ctx: Ctx, actor: TokenActor, product_id: RecordId) -> KitOut:
    """What a product is made of."""
    return _kit(ctx, actor, product_id)


@router.put("/products/{product_id}/kit", response_model=KitOut, responses=responses(403, 404, 413, 422))
def write_kit(ctx: Ctx, actor: TokenActor, product_id: RecordId, body: KitIn) -> KitOut:
    """Make a product of these parts, in this order."""
    known = ctx.db.run(lambda tx: store.by_skus(tx, [one.sku for one in body.parts]))
    unknown = [one.sku for one in body.parts if one.sku.upper() not in known]
    if unknown:
        raise Refused([Problem("kit.sku", f"Nothing has the SKU {sku}.", "parts") for sku in dict.fromkeys(unknown)])
    wishes = [Wish(known[one.sku.upper()], f"{one.quantity:f}", one.pick) for one in body.parts]
    service.save(ctx, actor, product_id, wishes, body.priced_by, f"{body.percent:f}")
    return _kit(ctx, actor, product_id)
