"""Sales and promotions as programs send and read them."""

from collections.abc import Mapping, Sequence
from datetime import datetime
from decimal import Decimal
from typing import Annotated, Literal, Self

from pydantic import AwareDatetime, BaseModel, ConfigDict, Field, model_validator

from graupel.core import sale_plans
from graupel.core.sales import PromotionKind, Reach, Reduction, TakesOff
from graupel.features.pricing.planned import Planned
from graupel.features.pricing.selling import Goods
from graupel.features.terms.service import Promotion

Id = Annotated[int, Field(ge=1, le=4_294_967_295)]
Amount = Annotated[Decimal, Field(gt=0, le=Decimal("9999999999.99"), decimal_places=2)]
Destination = Annotated[str, Field(max_length=20, description="Code of a shop or channel; empty for everywhere.")]


class ReductionModel(BaseModel):
    """``price``: what is asked; ``percent`` and ``amount``: what is taken off. ``with_ending``: then moved to the
    destination's price ending."""

    model_config = ConfigDict(extra="forbid")
    takes_off: Literal["price", "percent", "amount"]
    amount: Amount
    with_ending: bool = False

    @property
    def typed(self) -> str:
        """As its field takes it."""
        return sale_plans.typed_reduction(Reduction(TakesOff(self.takes_off), self.amount))


class SaleIn(BaseModel):
    """A sale to be planned.

    ``reach``: all goods, ``products``, or of the one product the ``variants`` or those with the ``choices``.
    ``begins``: at once without; ``ends``: nobody knows yet without.
    """

    model_config = ConfigDict(extra="forbid")
    title: Annotated[str, Field(max_length=120)] = ""
    reduction: ReductionModel
    begins: AwareDatetime | None = None
    ends: AwareDatetime | None = None
    destination: Destination = ""
    promotion: Annotated[str, Field(max_length=50)] | None = None
    joined: Annotated[bool, Field(description="Quantity prices are taken off the sale price too.")] = False
    reach: Literal["all", "product", "choice", "variant"]
    products: Annotated[list[Id], Field(max_length=10_000)] = []
    choices: Annotated[list[Id], Field(max_length=100)] = []
    variants: Annotated[list[Id], Field(max_length=2_000)] = []

    @model_validator(mode="after")
    def _goods_fit(self) -> Self:
        wanted = {"all": (), "product": ("products",), "choice": ("products", "choices")}.get(
            self.reach, ("products", "variants")
        )
        for name in ("products", "choices", "variants"):
            if bool(getattr(self, name)) != (name in wanted):
                what = "is needed with" if name in wanted else "has no meaning with"
                raise ValueError(f"{name} {what} the reach {self.reach}")
        if self.reach in ("choice", "variant") and len(self.products) != 1:
            raise ValueError(f"a sale for a {self.reach} is for one product")
        return self

    @property
    def goods(self) -> Goods:
        """As the service takes it."""
        return Goods(Reach(self.reach), self.products, self.choices or self.variants)


class SalePatch(BaseModel):
    """What is to change of a sale; what is left out stays. Its goods stay as they were planned."""

    model_config = ConfigDict(extra="forbid")
    title: Annotated[str, Field(max_length=120)] = ""
    reduction: ReductionModel | None = None
    begins: AwareDatetime | None = None
    ends: AwareDatetime | None = None
    destination: Destination = ""
    promotion: Annotated[str, Field(max_length=50)] | None = None
    joined: bool = False


def raw_of(body: SaleIn | SalePatch, promotions: Mapping[str, int]) -> dict[str, str]:
    """What a body gives, as the fields of the sale's form. ``promotions``: ids by their codes."""
    given = body.model_fields_set
    raw: dict[str, str] = {name: getattr(body, name) for name in ("title", "destination") if name in given}
    if body.reduction is not None:
        raw |= {"amount": body.reduction.typed, "ends_so": _yes(body.reduction.with_ending)}
    for name in ("begins", "ends"):
        if name in given:
            at: datetime | None = getattr(body, name)
            raw[name] = _moment(at)
    if "promotion" in given:
        raw["promotion"] = str(promotions.get(body.promotion, "unknown")) if body.promotion else ""
    return raw | ({"joined": _yes(body.joined)} if "joined" in given else {})


def _moment(at: datetime | None) -> str:
    """As core.moments reads it."""
    return at.isoformat(timespec="seconds") if at else ""


def _yes(is_so: bool) -> str:
    return "yes" if is_so else "no"


class SaleOut(BaseModel):
    """A sale. ``count``: for how many products, choices or variants it is; they are named where one sale is read."""

    id: int
    version: int
    title: str
    reduction: ReductionModel
    begins: datetime
    ends: datetime | None
    destination: str
    promotion: str | None
    joined: bool
    reach: Literal["all", "product", "choice", "variant"]
    count: int
    products: list[int] | None = None
    choices: list[int] | None = None
    variants: list[int] | None = None


class SalePage(BaseModel):
    """Sales in the order of their ids. ``next``: the cursor of the next page, null at the end."""

    items: list[SaleOut]
    next: str | None


def sale_out(found: Planned, promotions: Mapping[int, str]) -> SaleOut:
    """A sale as it is told; ``promotions``: codes by their ids."""
    sale, off = found.sale, found.sale.reduction
    shown = ReductionModel(takes_off=off.takes_off.value, amount=off.amount, with_ending=off.ends_so)

    def ids(name: str) -> list[int] | None:
        return None if found.goods is None else sorted({row[name] for row in found.goods if row[name]})  # type: ignore[literal-required]

    return SaleOut(
        id=sale.id,
        version=found.version,
        title=sale.title,
        reduction=shown,
        begins=sale.begins,
        ends=sale.ends,
        destination=sale.destination,
        promotion=promotions.get(sale.promotion_id or 0),
        joined=sale.joined,
        reach=sale.reach.value,
        count=found.count,
        products=ids("product_id"),
        choices=ids("choice_id"),
        variants=ids("variant_id"),
    )


class PromotionIn(BaseModel):
    """A promotion: a span with an id of its own, that destinations are told."""

    model_config = ConfigDict(extra="forbid")
    code: Annotated[str, Field(pattern=r"^[A-Za-z0-9][A-Za-z0-9_.-]{0,49}$")]
    name: Annotated[str, Field(min_length=1, max_length=120)]
    kind: PromotionKind
    begins: AwareDatetime | None = None
    ends: AwareDatetime | None = None

    @property
    def raw(self) -> dict[str, str]:
        """As the fields of its form."""
        spans = {name: _moment(getattr(self, name)) for name in ("begins", "ends")}
        return {"code": self.code, "name": self.name, "kind": str(self.kind), **spans}


class PromotionOut(BaseModel):
    """A promotion with its id."""

    id: int
    code: str
    name: str
    kind: PromotionKind
    begins: datetime
    ends: datetime | None


class PromotionList(BaseModel):
    """All promotions, the one that begins last first."""

    items: list[PromotionOut]


def promotions_out(found: Sequence[Promotion]) -> PromotionList:
    """Promotions as they are told."""
    return PromotionList(
        items=[
            PromotionOut(id=one.id, code=one.code, name=one.name, kind=one.kind, begins=one.begins, ends=one.ends)
            for one in found
        ]
    )
