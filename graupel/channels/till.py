"""The client of a till at which buyers pay on a page of its own (the stand-in Tollhatch).

Nothing that the buyer's browser brings back is believed: the till is asked what became of a payment.
"""

from decimal import Decimal
from enum import StrEnum
from typing import Annotated, Any
from urllib.parse import quote, urljoin

import httpx
from pydantic import BaseModel, Field, ValidationError

from graupel.channels import exchange
from graupel.channels.errors import ChannelDenied, ChannelMisbehaved, ChannelUnreachable
from graupel.channels.exchange import Exchange

NO_SENSE = "The till gave an answer that makes no sense."


class State(StrEnum):
    """Where a payment stands. ``WAITING``: the money comes later."""

    OPEN = "open"
    PAID = "paid"
    REFUSED = "refused"
    WAITING = "waiting"


class Payment(BaseModel):
    """A payment as the till tells of it."""

    id: Annotated[str, Field(max_length=80, pattern=r"^[A-Za-z0-9_-]+$")]
    reference: Annotated[str, Field(max_length=80)]
    amount: Annotated[str, Field(pattern=r"^\d{1,12}\.\d\d$")]
    currency: Annotated[str, Field(pattern="^[A-Z]{3}$")]
    state: State
    page: Annotated[str, Field(max_length=500, pattern="^/[^/]")]


class Till:
    """Speaks to one till with the shop's key."""

    def __init__(self, address: str, key: str, *, seconds: float = exchange.SECONDS) -> None:
        self._address = address
        self._exchange = Exchange("The till", address, {"Authorization": f"Bearer {key}"}, seconds=seconds)

    def open(self, reference: str, amount: Decimal, currency: str, title: str, back: str) -> Payment:
        """Ask for a payment; the same reference again is the same payment.

        Raises ChannelUnreachable, ChannelMisbehaved, ChannelDenied.
        """
        body = {"reference": reference, "amount": f"{amount:.2f}", "currency": currency, "title": title, "back": back}
        found = self._ask("POST", "/v1/payments", body)
        return _meant(found, reference, amount, currency)

    def look(self, payment_id: str, reference: str, amount: Decimal, currency: str) -> Payment:
        """What became of a payment. Raises the same, also where the till tells of another payment."""
        found = self._ask("GET", f"/v1/payments/{quote(payment_id, safe='')}")
        if found.id != payment_id:
            raise ChannelMisbehaved(NO_SENSE)
        return _meant(found, reference, amount, currency)

    def page(self, payment: Payment) -> str:
        """The address at which the buyer pays."""
        return urljoin(self._address, payment.page)

    def _ask(self, method: str, path: str, body: Any = None) -> Payment:
        response = self._exchange.ask(method, path, body)
        if not response.is_success:
            raise _refusal(response)
        try:
            return Payment.model_validate_json(response.content)
        except ValidationError as error:
            raise ChannelMisbehaved(NO_SENSE) from error


def _meant(found: Payment, reference: str, amount: Decimal, currency: str) -> Payment:
    """The payment, where it is the one that was asked for, to the last cent."""
    if (found.reference, Decimal(found.amount), found.currency) != (reference, amount, currency):
        raise ChannelMisbehaved(NO_SENSE)
    return found


def _refusal(response: httpx.Response) -> ChannelDenied | ChannelUnreachable | ChannelMisbehaved:
    if response.status_code in (401, 403):
        return ChannelDenied("The till does not know the key. Whoever runs Graupel sets GRAUPEL_TILL_KEY.")
    if response.status_code in (429, 500, 502, 503, 504):
        wait = exchange.asked_to_wait(response)
        return ChannelUnreachable(
            f"The till is busy ({response.status_code})." + (f" It asks for {wait} s." if wait else "")
        )
    return ChannelMisbehaved(NO_SENSE)
