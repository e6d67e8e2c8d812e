"""What came of what a form asked for. Where it was refused, the form is shown again as it was sent."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from graupel.core.errors import Outdated, Refused
from graupel.core.problems import Problem, by_field
from graupel.web import done


@dataclass(frozen=True)
class Attempt:
    """``at``: which form of the page; ``typed``: what it sent, where that is to stand there again.

    ``told``: the marks of what the form had been told, None for those of now. With fresh marks, what somebody else
    wrote meanwhile would be taken for known, and overwritten by the next save.
    """

    at: Any = None
    typed: Any = None
    problems: Sequence[Problem] = ()
    told: Mapping[str, str] | None = None
    status: int = 200
    said: str = ""

    @property
    def shown(self) -> dict[str, Any]:
        """What the page's template is given."""
        return {
            "wrong": by_field(self.problems),
            "wrong_at": self.at if self.problems else None,
            "typed": self.typed,
            "told": self.told,
            "said": {self.at: self.said} if self.said else {},
            "status": self.status,
        }


#: What a page is shown with that nobody sent anything to.
FRESH = Attempt()


def attempt(act: Callable[[], Any], at: Any, typed: Any = None, told: Mapping[str, str] | None = None) -> Attempt:
    """Do what a form asks for."""
    try:
        act()
    except Refused as refusal:
        return Attempt(at, typed, refusal.problems, told, 422)
    except Outdated as outdated:
        return Attempt(at, typed, [Problem("outdated", str(outdated), "")], outdated.marks, 409)
    return Attempt(at, said="" if done.anything() else "Nothing had changed.")
