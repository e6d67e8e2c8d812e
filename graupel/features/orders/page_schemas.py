"""What the pages of orders are sent and asked."""

from typing import Annotated

from pydantic import Field

from graupel.core.orders import Stack
from graupel.web.sent import Marks, Named, Search, Sent, Whole


class OrdersAsked(Sent):
    """The list: which stack of them, a search, and before which id."""

    stack: Stack = Stack.OPEN
    q: Search = ""
    before: Whole = 0


class OrderRulesTyped(Sent):
    """How orders go, as typed."""

    transfer: str = ""
    transfer_to: str = ""
    mails: str = ""
    gives_at: str = ""
    marks: Marks = None

    @property
    def raw(self) -> dict[str, str]:
        """The fields by name."""
        named = {"transfer": self.transfer, "transfer_to": self.transfer_to, "mails": self.mails}
        return named | {"gives_at": self.gives_at}


class ReturnedTyped(Sent):
    """How many of each SKU came back."""

    back: Annotated[dict[str, str], Named("back-")] = Field(default_factory=dict)
