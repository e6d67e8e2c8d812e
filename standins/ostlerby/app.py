"""Ostlerby's HTTP interface: for sellers under /v1, for those who run the stand-in under /control."""

import time
from datetime import datetime
from pathlib import Path
from typing import Annotated, Any

from fastapi import Depends, FastAPI, Header, HTTPException, Query
from pydantic import BaseModel, Field

from standins.faults import Fault, Faults
from standins.ostlerby import rules
from standins.ostlerby.store import Store


class Money(BaseModel):
    """An amount as text with two decimals, and its currency."""

    amount: str = Field(pattern=r"^\d+\.\d\d$")
    currency: str = Field(pattern="^[A-Z]{3}$")


class Picture(BaseModel):
    """A picture that the hall may fetch; sides in pixels."""

    url: str
    width: int
    height: int


class Choice(BaseModel):
    """What an offer differs by from the others of its article."""

    name: str
    value: str


class Promotion(BaseModel):
    """A promotion of the seller's, as buyers of the hall may look for it."""

    id: str
    kind: str


class Reduction(BaseModel):
    """That an offer costs less for a time."""

    was: Money
    begins: datetime
    ends: datetime | None = None
    promotion: Promotion | None = None


class Offer(BaseModel):
    """What one seller asks for the article; of an article in several versions, for one of them."""

    sku: str
    price: Money
    condition: str
    weight_g: int | None = None
    gtin: str | None = None
    mpn: str | None = None
    choices: list[Choice] = []
    reduction: Reduction | None = None


class Article(BaseModel):
    """What a seller sends."""

    title: str
    description: str
    brand: str | None = None
    mpn: str | None = None
    gtin: str | None = None
    category: str
    pictures: list[Picture]
    offers: list[Offer] = Field(min_length=1)


class Reason(BaseModel):
    """Why the hall refused."""

    code: str
    field: str
    message: str


class Listing(BaseModel):
    """Where a listing stands: under_review, taken, refused or ended; on_sale: a version of it is for sale."""

    reference: str
    state: str
    page: str | None
    reasons: list[Reason]
    revision: int
    on_sale: bool


class Category(BaseModel):
    """A category of the hall. Only end categories take goods."""

    code: str
    name: str
    above: str | None
    end: bool


class Trouble(BaseModel):
    """Why a request came to nothing."""

    detail: str


_DENIED: dict[int | str, dict[str, Any]] = {401: {"model": Trouble, "description": "The key is not known."}}
_MISSING: dict[int | str, dict[str, Any]] = {**_DENIED, 404: {"model": Trouble, "description": "No such listing."}}


class FaultOrder(BaseModel):
    """Switch a fault on for the next requests, or off."""

    fault: Fault | None
    times: int = 1_000_000
    seconds: float = 2.0


class ClockOrder(BaseModel):
    """Move the hall's clock on."""

    forward_seconds: float = Field(ge=0)


def make_app(folder: Path, *, key: str, review_seconds: float) -> FastAPI:
    """The stand-in. ``key`` is the seller's; a review takes ``review_seconds`` of the hall's clock."""
    store = Store(folder / "ostlerby.sqlite")
    app = FastAPI(title="Ostlerby, a stand-in", version="1", docs_url=None, redoc_url=None)
    ahead = {"seconds": 0.0}

    def now() -> float:
        return time.time() + ahead["seconds"]

    def seller(authorization: Annotated[str, Header()] = "") -> str:
        if authorization != f"Bearer {key}":
            raise HTTPException(401, "This key opens no door here.")
        return "seller-1"

    Seller = Annotated[str, Depends(seller)]

    def shown(seller: str, reference: str) -> dict[str, Any]:
        listing = store.get(seller, reference)
        if listing is None:
            raise HTTPException(404, "There is no such listing.")
        if listing["state"] == "under_review" and listing["due"] <= now():
            store.decide(seller, reference, rules.objections(listing["article"]))
            listing = store.get(seller, reference)
        assert listing is not None
        return listing

    @app.get("/v1/terms", responses=_DENIED)
    def terms(seller: Seller) -> dict[str, Any]:
        """What the hall asks of every listing."""
        return rules.TERMS

    @app.get("/v1/categories", response_model=list[Category], responses=_DENIED)
    def categories(seller: Seller) -> Any:
        """All categories of the hall."""
        return rules.categories()

    @app.put("/v1/listings/{reference}", status_code=202, response_model=Listing, responses=_DENIED)
    def put(reference: str, article: Article, seller: Seller) -> Any:
        """Make or revise the listing under the seller's own reference; it is reviewed."""
        return store.put(seller, reference, article.model_dump(mode="json"), now() + review_seconds)

    @app.get("/v1/listings/{reference}", response_model=Listing, responses=_MISSING)
    def get(reference: str, seller: Seller) -> Any:
        """Where a listing stands."""
        return shown(seller, reference)

    @app.get("/v1/listings", response_model=list[Listing], responses=_DENIED)
    def list_all(seller: Seller, reference: Annotated[list[str] | None, Query(max_length=200)] = None) -> Any:
        """All listings of the seller, or those under the given references."""
        return [
            shown(seller, listing["reference"])
            for listing in store.all(seller)
            if reference is None or listing["reference"] in reference
        ]

    @app.delete("/v1/listings/{reference}", response_model=Listing, responses=_MISSING)
    def end(reference: str, seller: Seller) -> Any:
        """End a listing."""
        shown(seller, reference)
        return store.end(seller, reference)

    app.add_middleware(Faults)
    _add_control(app, store, ahead)
    return app


def _add_control(app: FastAPI, store: Store, ahead: dict[str, float]) -> None:
    def faults() -> Faults:
        layer: Any = app.middleware_stack
        while not isinstance(layer, Faults):
            layer = layer.app
        return layer

    @app.post("/control/faults")
    def set_fault(order: FaultOrder) -> dict[str, Any]:
        """Switch a fault on or off."""
        layer = faults()
        layer.fault, layer.times, layer.seconds = order.fault, order.times, order.seconds
        return order.model_dump()

    @app.post("/control/clock")
    def set_clock(order: ClockOrder) -> dict[str, float]:
        """Move the clock on."""
        ahead["seconds"] += order.forward_seconds
        return {"ahead_seconds": ahead["seconds"]}

    @app.get("/control/counts")
    def counts() -> dict[str, int]:
        """How many listings there are, and how many writes and questions came in."""
        return {"listings": len(store.all("seller-1")), "writes": store.requests(), "asked": faults().asked}
