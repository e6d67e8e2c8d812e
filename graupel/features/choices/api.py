"""Buyer choices for programs, under /api/v1: which there are, and with which products they are asked."""

from collections.abc import Sequence
from decimal import Decimal
from typing import Annotated

from fastapi import APIRouter
from pydantic import BaseModel, ConfigDict, Field

from graupel.core.choices import AddsBy, Choice, Kind
from graupel.core.errors import Refused
from graupel.core.problems import Problem
from graupel.features.choices import reading, uses
from graupel.features.products import service as products
from graupel.features.products.api import RecordId, TokenActor
from graupel.web.problem import responses
from graupel.web.security import Ctx

router = APIRouter()
MOST_ASKED = 60


class EntryOut(BaseModel):
    """An entry, and what it adds: ``amount`` in the catalogue's currency or percent, for each piece or once."""

    id: int
    label: str
    adds_by: AddsBy
    amount: Decimal
    once: bool
    weight_g: int | None
    sku_code: str
    sold_out: bool
    is_default: bool


class ChoiceOut(BaseModel):
    """A choice. ``product_id``: of one that is this product's alone; ``when``: asked with an answer to that one."""

    id: int
    name: str
    label: str
    kind: Kind
    needed: bool
    when: int | None
    product_id: int | None
    entries: Sequence[EntryOut]


class AskedIn(BaseModel):
    """The choices that are asked with a product, in their order."""

    model_config = ConfigDict(extra="forbid")
    choices: Annotated[list[Annotated[int, Field(ge=1, le=2**32 - 1)]], Field(max_length=MOST_ASKED)]


def _out(choice: Choice) -> ChoiceOut:
    names = EntryOut.model_fields.keys()
    entries = [EntryOut(**{name: getattr(one, name) for name in names}) for one in choice.entries]
    said = {name: getattr(choice, name) for name in ChoiceOut.model_fields if name != "entries"}
    return ChoiceOut(**said, entries=entries)


@router.get("/choices", response_model=list[ChoiceOut], responses=responses(403))
def list_choices(ctx: Ctx, actor: TokenActor) -> list[ChoiceOut]:
    """The reusable choices, by name."""
    return [_out(one.choice) for one in reading.list_shared(ctx, actor)]


@router.get("/products/{product_id}/choices", response_model=list[ChoiceOut], responses=responses(403, 404, 422))
def read_asked(ctx: Ctx, actor: TokenActor, product_id: RecordId) -> list[ChoiceOut]:
    """The choices that are asked with a product, in their order."""
    products.read(ctx, actor, product_id)
    return [_out(one) for one in ctx.db.run(lambda tx: reading.of_product(tx, product_id))]


@router.put("/products/{product_id}/choices", response_model=list[ChoiceOut], responses=responses(403, 404, 413, 422))
def write_asked(ctx: Ctx, actor: TokenActor, product_id: RecordId, body: AskedIn) -> list[ChoiceOut]:
    """Make these the choices that are asked with a product. One that was this product's alone and is left out goes."""
    product = products.read(ctx, actor, product_id)
    own = {one.id for one in ctx.db.run(lambda tx: reading.of_product(tx, product_id))}
    known = own | set(ctx.db.run(lambda tx: reading.shared(ctx, tx)))
    unknown = [one for one in body.choices if one not in known]
    if unknown:
        raise Refused([Problem("choice.unknown", f"There is no reusable choice {one}.", "choices") for one in unknown])
    uses.ask(ctx, actor, product_id, body.choices, product.values.name)
    return read_asked(ctx, actor, product_id)
