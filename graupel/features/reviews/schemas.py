"""What the pages of reviews are asked and sent."""

from typing import Annotated

from graupel.core.reviews import State
from graupel.web.sent import Marks, Sent, Ticked, Whole, one_of


class ReviewsAsked(Sent):
    """The list: in which state ("" for all), and before which id."""

    state: Annotated[str, one_of(("", *State))] = "waiting"
    before: Whole = 0


class Judged(Sent):
    """What becomes of a review, and what is answered."""

    state: State
    answer: str = ""
    reason: str = ""
    marks: Marks = None


class Allowed(Sent):
    """Whether buyers may review a product."""

    allowed: Ticked = False
