"""Tollhatch's HTTP interface: for the shop under /v1, for buyers under /pay, /control for those who run it."""

import secrets
import time
from html import escape
from pathlib import Path
from typing import Annotated, Any

from fastapi import Depends, FastAPI, Form, Header, HTTPException
from fastapi.responses import HTMLResponse, RedirectResponse
from pydantic import BaseModel, Field

from standins.faults import Fault, Faults
from standins.tollhatch.store import Store


class Asked(BaseModel):
    """What a shop asks to be paid. ``back``: where the buyer goes afterwards."""

    reference: str = Field(min_length=1, max_length=80)
    amount: str = Field(pattern=r"^\d{1,12}\.\d\d$")
    currency: str = Field(pattern="^[A-Z]{3}$")
    title: str = Field(max_length=200)
    back: str = Field(max_length=500, pattern="^https?://")


class Payment(BaseModel):
    """Where a payment stands: open, paid, refused, or waiting for money that comes later. ``page``: where to pay."""

    id: str
    reference: str
    amount: str
    currency: str
    state: str
    page: str


class FaultOrder(BaseModel):
    """Switch a fault on for the next requests, or off."""

    fault: Fault | None
    times: int = 1_000_000
    seconds: float = 2.0


class ClockOrder(BaseModel):
    """Move the till's clock on."""

    forward_seconds: float = Field(ge=0)


class Trouble(BaseModel):
    """Why a request came to nothing."""

    detail: str


_DENIED: dict[int | str, dict[str, Any]] = {401: {"model": Trouble, "description": "The key is not known."}}
_MISSING: dict[int | str, dict[str, Any]] = {**_DENIED, 404: {"model": Trouble, "description": "No such payment."}}


class Counter:
    """The payments of one shop, by the till's clock."""

    def __init__(self, folder: Path, later_seconds: float) -> None:
        self.store, self.later_seconds, self.ahead = Store(folder), later_seconds, 0.0

    def now(self) -> float:
        """The moment of its clock."""
        return time.time() + self.ahead

    def found(self, payment_id: str) -> dict[str, Any]:
        """A payment as it stands now. Raises HTTPException."""
        row = self.store.get(payment_id)
        if row is None:
            raise HTTPException(404, "There is no such payment.")
        if row["state"] == "waiting" and row["due"] <= self.now():
            self.store.decide(payment_id, "paid")
            row["state"] = "paid"
        return row

    def decide(self, payment_id: str, answer: str) -> str:
        """Take in what a buyer says; returns where the buyer goes."""
        row = self.found(payment_id)
        states = {"yes": ("paid", None), "no": ("refused", None), "later": ("waiting", self.now() + self.later_seconds)}
        if answer in states:
            self.store.decide(payment_id, *states[answer])
        return str(row["back"])


def _shown(row: dict[str, Any]) -> dict[str, Any]:
    return {**row, "page": f"/pay/{row['id']}"}


def make_app(folder: Path, *, key: str, later_seconds: float) -> FastAPI:
    """The till. ``later_seconds``: of its clock, until money that comes later has come."""
    counter = Counter(folder, later_seconds)
    app = FastAPI(title="Tollhatch, a stand-in", version="1", docs_url=None, redoc_url=None)

    def shop(authorization: Annotated[str, Header()] = "") -> None:
        if authorization != f"Bearer {key}":
            raise HTTPException(401, "This key opens no till here.")

    @app.post("/v1/payments", response_model=Payment, dependencies=[Depends(shop)], responses=_DENIED)
    def ask(asked: Asked) -> Any:
        """Ask for a payment; the same reference again is the same payment."""
        return _shown(counter.store.put(secrets.token_hex(12), asked.model_dump()))

    @app.get("/v1/payments/{payment_id}", response_model=Payment, dependencies=[Depends(shop)], responses=_MISSING)
    def look(payment_id: str) -> Any:
        """Where a payment stands."""
        return _shown(counter.found(payment_id))

    @app.get("/pay/{payment_id}", response_class=HTMLResponse)
    def page(payment_id: str) -> str:
        """Where a buyer pays."""
        return _page(counter.found(payment_id))

    @app.post("/pay/{payment_id}")
    def decide(payment_id: str, answer: Annotated[str, Form()]) -> RedirectResponse:
        """The buyer says yes, no or later, and goes back to the shop."""
        return RedirectResponse(counter.decide(payment_id, answer), 303)

    app.add_middleware(Faults)
    _add_control(app, counter)
    return app


def _add_control(app: FastAPI, counter: Counter) -> None:
    @app.post("/control/faults")
    def faults(order: FaultOrder) -> dict[str, str]:
        """Switch a fault on or off."""
        layer: Any = app.middleware_stack
        while not isinstance(layer, Faults):
            layer = layer.app
        layer.fault, layer.times, layer.seconds = order.fault, order.times, order.seconds
        return {"fault": order.fault or "none"}

    @app.post("/control/clock")
    def clock(order: ClockOrder) -> dict[str, float]:
        """Move the clock on."""
        counter.ahead += order.forward_seconds
        return {"ahead_seconds": counter.ahead}

    @app.get("/control/payments")
    def payments() -> list[dict[str, Any]]:
        """All that was asked for."""
        return counter.store.all()


def _page(row: dict[str, Any]) -> str:
    said = {
        "paid": "This is paid.",
        "refused": "This was refused.",
        "waiting": "The money is on its way.",
        "open": "",
    }[row["state"]]
    buttons = "".join(
        f'<button name="answer" value="{value}">{word}</button> '
        for value, word in (("yes", "Pay"), ("no", "Refuse"), ("later", "Pay later"))
    )
    form = f'<form method="post">{buttons}</form>' if row["state"] == "open" else f"<p>{said}</p>"
    return (
        '<!doctype html><html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width">'
        "<title>Tollhatch</title><style>body{font:16px sans-serif;max-width:32em;margin:4em auto;padding:0 1em}"
        "button{font:inherit;padding:.5em 1em}</style><h1>Tollhatch</h1><p>A till that is only played: no money moves."
        f"</p><p>{escape(row['title'])}<br><b>{escape(row['amount'])} {escape(row['currency'])}</b></p>{form}"
        f'<p><a href="{escape(row["back"])}">Back to the shop</a></p></html>'
    )
