"""Who orders, and where it goes: as a buyer types it, and what is wrong with that.

What is wrong is told as phrases of the shop window, for it is a buyer who reads it.
"""

import re
from collections.abc import Collection, Mapping
from dataclasses import dataclass
from enum import StrEnum

from graupel.core.choice_answers import Wrong

#: The fields of the form with their longest, in their order.
LENGTHS = {"mail": 254, "name": 120, "street": 120, "postcode": 20, "town": 80, "country": 2, "note": 1000}
#: What is asked only where something is sent.
OF_ADDRESS = ("street", "postcode", "town", "country")


class PaysBy(StrEnum):
    """How an order is paid. ``TILL`` can be confirmed at once, ``TRANSFER`` is confirmed by hand."""

    TILL = "till"
    TRANSFER = "transfer"
    NOTHING = "nothing"


@dataclass(frozen=True)
class Buyer:
    """Who orders. What of the address is not needed is ""."""

    mail: str = ""
    name: str = ""
    street: str = ""
    postcode: str = ""
    town: str = ""
    country: str = ""
    note: str = ""


def read(raw: Mapping[str, str]) -> Buyer:
    """What was typed, blanks folded and without control characters; the note keeps its lines."""
    found = {}
    for name, most in LENGTHS.items():
        text = re.sub(r"[\x00-\x08\x0b-\x1f\x7f]", "", raw.get(name, ""))
        text = text.strip() if name == "note" else re.sub(r"\s+", " ", text).strip()
        found[name] = text[: most + 1]
    return Buyer(**found | {"country": found["country"].upper()})


def is_mail(text: str) -> bool:
    """Whether a text can stand as the one address that a mail goes to."""
    return bool(re.fullmatch(r"[^@\s,;<>\"]+@[^@\s,;<>\"]+\.[^@\s,;<>\".]+", text))


def wrong(buyer: Buyer, *, ships: bool, countries: Collection[str]) -> dict[str, Wrong]:
    """What can't be taken, by field. ``ships``: something is sent, so an address is needed, in one of ``countries``,
    where they are known."""
    found: dict[str, Wrong] = {}
    needed = ("mail", "name", *(OF_ADDRESS if ships else ()))
    for name, most in LENGTHS.items():
        text = getattr(buyer, name)
        if name in needed and not text:
            found[name] = ("Please fill this in.", ())
        elif len(text) > most and name != "country":
            found[name] = ("At most {} signs fit.", (f"{most}",))
    if "mail" not in found and not is_mail(buyer.mail):
        found["mail"] = ("This is no mail address, such as name@example.org.", ())
    if ships and "country" not in found and countries and buyer.country not in countries:
        found["country"] = ("Choose a country to which we send.", ())
    return found
