r"""Several things in one cell, parted by bars. A bar within one of them stands behind a backslash: "A \| B"."""

import re
from collections.abc import Iterable

BAR = " | "
_PARTS = re.compile(r"(?<!\\)\|")
_LINES_TOO = re.compile(r"(?<!\\)\||\n")


def joined(names: Iterable[str]) -> str:
    """One cell of several."""
    return BAR.join(name.replace("|", r"\|") for name in names)


def parted(text: str, *, by_lines: bool = True) -> list[str]:
    """What stands in a cell; empty parts too. ``by_lines``: each of them may stand on a line of its own."""
    parts = (_LINES_TOO if by_lines else _PARTS).split(text)
    return [part.replace(r"\|", "|").strip() for part in parts]


def parts_several(text: str) -> bool:
    """Whether a bar parts it."""
    return bool(_PARTS.search(text))
