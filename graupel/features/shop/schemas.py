"""What buyers send: with an article, and with their basket."""

from typing import Annotated, Any

from pydantic import Field
from starlette.datastructures import UploadFile

from graupel.core import order_forms
from graupel.core.choice_answers import number_of
from graupel.features.orders.basket_forms import Handed
from graupel.web.sent import Among, Ids, MaybeWhole, Named, Search, Sent, Whole

#: A buyer's answer is no longer, whatever is sent.
LONGEST = 5_000


class Then(Sent):
    """At which moment an article is looked at, in which variant; ``prepared``: a prepared change that counts as made at
    what lies ahead."""

    at: Search = ""
    v: MaybeWhole = None
    prepared: MaybeWhole = None


class WindowMoment(Sent):
    """At which moment the window is looked at: ``where``, the shop and language of its address, and which ``page`` of
    it, such as "c/12"; ``prepared`` as above."""

    at: Search = ""
    where: Search = ""
    page: Search = ""
    prepared: MaybeWhole = None


class Bought(Sent):
    """An article with what was chosen: ``v`` the variant, ``n`` how many, ``pays`` how much for a piece where a buyer
    may say, and the answers to choices by their names, "c7"."""

    v: Whole = 0
    n: Annotated[str, Field(max_length=40)] = "1"
    pays: Annotated[str, Field(max_length=40)] = ""
    beside: Ids = ()
    answers: Annotated[dict[str, list[Any]], Named("c", several=True)] = Field(default_factory=dict)

    @property
    def ticked(self) -> frozenset[int]:
        """The variants that go in with it."""
        return frozenset(self.beside)

    @property
    def raw(self) -> dict[str, list[str]]:
        """What was written or picked, by name."""
        found = {
            f"c{rest}": [one[:LONGEST] for one in said if isinstance(one, str)] for rest, said in self.answers.items()
        }
        return {name: said for name, said in found.items() if said}

    def files(self) -> dict[int, Handed]:
        """What was handed in, by choice."""
        found = {}
        for rest, said in self.answers.items():
            sent = next((one for one in said if isinstance(one, UploadFile) and one.filename), None)
            if sent is not None and rest.isascii() and rest.isdigit() and len(rest) < 12:
                found[int(rest)] = Handed(sent.filename or "file", sent.file.read())
        return found


class BasketTyped(Sent):
    """A basket as it stands in its form: how many of each line, which one goes, and who orders."""

    do: str = "change"
    drop: Whole = 0
    shown: str = ""
    pays_by: str = ""
    quantities: Annotated[dict[str, str], Named("n-")] = Field(default_factory=dict)
    typed: Annotated[dict[str, str], Among(tuple(order_forms.LENGTHS))] = Field(default_factory=dict)

    @property
    def counts(self) -> dict[int, str]:
        """How many of each line, by its id."""
        found = {
            int(key): text[:40]
            for key, text in self.quantities.items()
            if key.isascii() and key.isdigit() and len(key) < 12
        }
        return found | ({self.drop: ""} if self.drop else {})

    @property
    def unread(self) -> bool:
        """Whether a number was typed that can't be read; its line stays as it was."""
        return any(text.strip() and number_of(text) is None for text in self.counts.values())

    @property
    def buyer(self) -> dict[str, str]:
        """Who orders, and how it is paid."""
        return {name: text[: order_forms.LENGTHS[name] + 1] for name, text in self.typed.items()} | {
            "pays_by": self.pays_by[:12]
        }


class ReviewTyped(Sent):
    """A review as it is typed."""

    typed: Annotated[dict[str, str], Among(("name", "stars", "text"))] = Field(default_factory=dict)


class Seen(Sent):
    """Lines that were seen to."""

    ids: Ids = ()
