"""Words in another language: what is missing, what is out of date, and what changed since."""

import difflib
import re
from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum


class State(StrEnum):
    """How a text stands in another language."""

    MISSING = "missing"
    OUTDATED = "outdated"
    DONE = "done"


def state(original: str, translation: str | None, source: str | None) -> State:
    """``source``: the original as it was when the translation was written, None where that is not known.

    The reading by sets is CASE WHEN with the same order of questions.
    """
    if not translation:
        return State.MISSING
    return State.OUTDATED if source is not None and source != original else State.DONE


@dataclass(frozen=True)
class Piece:
    """A run of words of two texts: kept, taken out or put in."""

    text: str
    kind: str


def what_changed(before: str, after: str) -> list[Piece]:
    """Both texts as one, word by word: pieces that are kept, gone or new."""
    old, new = (re.findall(r"\s+|\w+|[^\w\s]", text) for text in (before, after))
    found: list[Piece] = []

    def add(words: Iterable[str], kind: str) -> None:
        text = "".join(words)
        if text:
            found.append(Piece(text, kind))

    for what, a, b, c, d in difflib.SequenceMatcher(None, old, new, autojunk=False).get_opcodes():
        if what == "equal":
            add(old[a:b], "kept")
        else:
            add(old[a:b], "gone")
            add(new[c:d], "new")
    return found


#: What elements of rich text are called where a translation has fewer of them; the others only hold these.
_MARKUP = {
    "a": ("link", "links"),
    "img": ("picture", "pictures"),
    "table": ("table", "tables"),
    "tr": ("row", "rows"),
    "li": ("point of a list", "points of a list"),
    "iframe": ("embedded piece", "embedded pieces"),
    "h2": ("heading", "headings"),
    "h3": ("heading", "headings"),
    "h4": ("heading", "headings"),
    "strong": ("run of bold words", "runs of bold words"),
    "em": ("run of slanted words", "runs of slanted words"),
    "hr": ("rule", "rules"),
    "p": ("paragraph", "paragraphs"),
}
_OPENED = re.compile(r"<([a-z][a-z0-9]*)\b[^>]*>")


def lost_markup(source: str, translation: str) -> list[str]:
    """What of a rich text its translation does not hold any more, such as "1 link", in the order of the source.

    A translator's tool shows markup as placeholders, which are easily deleted. What leads elsewhere or is said in
    other words is not lost: elements are counted, not compared.
    """
    had, has = (
        Counter(_MARKUP[tag] for tag in _OPENED.findall(text) if tag in _MARKUP) for text in (source, translation)
    )
    return [f"{count} {words[count > 1]}" for words, count in (had - has).items()]


@dataclass(frozen=True)
class Progress:
    """How far a language is: texts by state."""

    lang: str
    missing: int = 0
    outdated: int = 0
    done: int = 0

    @property
    def all(self) -> int:
        """How many texts there are."""
        return self.missing + self.outdated + self.done

    @property
    def share(self) -> int:
        """Hundredths that are done, whole ones: 100 only where nothing is left."""
        return 100 if self.done == self.all else self.done * 100 // self.all
