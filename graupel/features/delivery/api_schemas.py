"""Delivery promises as programs send and read them."""

from decimal import Decimal
from typing import Annotated, Any, Self

from pydantic import BaseModel, ConfigDict, Field, model_validator

from graupel.core import delivery
from graupel.core.delivery import CostBy, Promise
from graupel.core.quantities import format_money
from graupel.features.delivery.service import MOST_ZONES, Stands
from graupel.features.terms.deliveries import SaidOfDelivery

Id = Annotated[int, Field(ge=1, le=4_294_967_295)]
Country = Annotated[str, Field(pattern="^[A-Z]{2}$", description="ISO 3166-1 alpha-2.")]
Money = Annotated[Decimal, Field(ge=0, le=Decimal("9999999999.99"), decimal_places=2)]


class StepModel(BaseModel):
    """What delivery costs up to a weight in grams or a value; the last step may have no bound."""

    model_config = ConfigDict(extra="forbid")
    up_to: Annotated[Decimal, Field(gt=0, le=Decimal("9999999999.99"), decimal_places=2)] | None = None
    cost: Money


class ZoneModel(BaseModel):
    """Countries with the days of work that goods are under way, and what that costs."""

    model_config = ConfigDict(extra="forbid")
    countries: Annotated[list[Country], Field(min_length=1, max_length=250)]
    first_days: Annotated[int, Field(ge=0, le=365)]
    last_days: Annotated[int, Field(ge=0, le=365)]
    steps: Annotated[list[StepModel], Field(max_length=40)] = []
    free_from: Money | None = None


class PromiseIn(BaseModel):
    """A delivery promise. ``cost_by``: by weight, steps are bound by grams, by value, by amounts."""

    model_config = ConfigDict(extra="forbid")
    name: Annotated[str, Field(min_length=1, max_length=delivery.NAME_LENGTH)]
    cost_by: CostBy = CostBy.WEIGHT
    zones: Annotated[list[ZoneModel], Field(max_length=MOST_ZONES)] = []
    for_all: bool = False
    types: Annotated[list[Id], Field(max_length=1_000)] = []
    categories: Annotated[list[Id], Field(max_length=10_000)] = []

    @model_validator(mode="after")
    def _grams_are_whole(self) -> Self:
        bounds = [step.up_to for zone in self.zones for step in zone.steps if step.up_to]
        if self.cost_by is CostBy.WEIGHT and any(bound % 1 for bound in bounds):
            raise ValueError("by weight, up_to is in whole grams")
        return self

    @property
    def raw(self) -> dict[str, str]:
        """As the fields of its form."""
        return {"name": self.name, "cost_by": str(self.cost_by)}

    @property
    def rows(self) -> list[dict[str, str]]:
        """Its zones as the rows of its form."""
        return [self._row(zone) for zone in self.zones]

    def _row(self, zone: ZoneModel) -> dict[str, str]:
        steps = [(one.up_to, one.cost) for one in zone.steps]
        return {
            "countries": ", ".join(zone.countries),
            "days": f"{zone.first_days}-{zone.last_days}",
            "steps": delivery.show_steps(steps, self.cost_by),
            "free_from": format_money(zone.free_from),
        }

    @property
    def stands(self) -> Stands:
        """For what it stands."""
        return Stands(self.for_all, self.types, self.categories)


class PromiseOut(PromiseIn):
    """A delivery promise with its id."""

    id: int
    version: int


class PromiseList(BaseModel):
    """All delivery promises."""

    items: list[PromiseOut]


def promise_out(said: SaidOfDelivery, one: Promise) -> PromiseOut:
    """A promise as it is told."""

    def those(found: Any) -> list[int]:
        return sorted(key for key, promise_id in found.items() if promise_id == one.id)

    zones = [
        ZoneModel(
            countries=sorted(zone.countries),
            first_days=zone.first,
            last_days=zone.last,
            steps=[StepModel(up_to=up_to, cost=cost) for up_to, cost in zone.steps],
            free_from=zone.free_from,
        )
        for zone in one.zones
    ]
    return PromiseOut(
        id=one.id,
        version=one.version,
        name=one.name,
        cost_by=one.cost_by,
        zones=zones,
        for_all=said.of_shop == one.id,
        types=those(said.of_types),
        categories=those(said.of_categories),
    )
