"""What the pages of prepared changes are sent."""

from typing import Literal

from graupel.web.sent import Search, Sent, Ticked, Whole


class Mode(Sent):
    """Whether somebody prepares all that they save, and where they go on."""

    on: Ticked = False
    back: str = ""


class Decision(Sent):
    """What somebody says of a prepared change, as it was when they looked. ``at``: a moment as typed."""

    version: Whole
    what: Literal["agree", "plan", "back", "hand_in", "withdraw"]
    at: Search = ""
    word: str = ""
