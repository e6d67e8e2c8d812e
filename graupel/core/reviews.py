"""What a buyer writes of an article: what it must be, and how several come to one figure."""

import re
from collections.abc import Mapping
from dataclasses import dataclass
from decimal import Decimal
from enum import StrEnum

from graupel.core.choice_answers import Wrong
from graupel.core.price_rules import rounded

NAME_LENGTH, TEXT_LENGTH, LEAST_TEXT, MOST_STARS = 80, 3000, 3, 5
#: One who writes more in a day is asked to wait.
MOST_A_DAY = 5


class State(StrEnum):
    """Where a review stands: it waits to be read, is shown, hidden, or reported as unlawful or abusive."""

    WAITING = "waiting"
    SHOWN = "shown"
    HIDDEN = "hidden"
    REPORTED = "reported"


@dataclass(frozen=True)
class Written:
    """A review as it is typed. ``stars``: 1 to 5, 0 for none."""

    name: str = ""
    stars: int = 0
    text: str = ""


def read(raw: Mapping[str, str]) -> Written:
    """What was typed, without control characters; too long a text is told by ``wrong``."""
    name = re.sub(r"\s+", " ", re.sub(r"[\x00-\x08\x0b-\x1f\x7f]", "", raw.get("name", ""))).strip()
    text = re.sub(r"[\x00-\x08\x0b\x0c\x0e-\x1f\x7f]", "", raw.get("text", "")).replace("\r\n", "\n").strip()
    stars = raw.get("stars", "")
    known = stars in tuple(str(one) for one in range(1, MOST_STARS + 1))
    return Written(name[: NAME_LENGTH + 1], int(stars) if known else 0, text[: TEXT_LENGTH + 1])


def wrong(written: Written) -> dict[str, Wrong]:
    """What can't be taken, by field, as phrases of the shop window."""
    found: dict[str, Wrong] = {}
    if not written.name:
        found["name"] = ("Please fill this in.", ())
    elif len(written.name) > NAME_LENGTH:
        found["name"] = ("At most {} signs fit.", (f"{NAME_LENGTH}",))
    if not written.stars:
        found["stars"] = ("Please choose.", ())
    if len(written.text) < LEAST_TEXT:
        found["text"] = ("Please fill this in.", ())
    elif len(written.text) > TEXT_LENGTH:
        found["text"] = ("At most {} signs fit.", (f"{TEXT_LENGTH}",))
    return found


def mean(counts: Mapping[int, int]) -> Decimal | None:
    """The mean to a tenth, half up, of how many gave so many stars; None of none."""
    number = sum(counts.values())
    total = sum(stars * count for stars, count in counts.items())
    return rounded(Decimal(total) / number, 1).quantize(Decimal("0.1")) if number else None
