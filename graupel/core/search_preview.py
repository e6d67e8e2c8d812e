"""How a search engine would show a page: its title and description, cut where they get too wide.

Search engines cut by width on the screen, not by number of characters: a title at about 600 pixels of a
20 px sans-serif, a description at about 920 pixels of 14 px (two lines). Widths here are those of the letters
of a metric-compatible sans-serif at 1000 units an em, in classes, which is within a few pixels in a line.
"""

from dataclasses import dataclass

from graupel.core.richtext import to_plain

TITLE_WIDTH, TITLE_SIZE = 600, 20
DESCRIPTION_WIDTH, DESCRIPTION_SIZE = 920, 14
_CLASSES = (
    ("ijl'|", 222),
    ("Itf.,:;!/\\ ()[]r-", 290),
    ("ckszvxyJ", 500),
    ("abdeghnopqu0123456789?L$#_€", 556),
    ("FTZ+<>=~", 611),
    ("ABEKPSVXY&", 667),
    ("CDHNRUw", 722),
    ("GOQ", 778),
    ("mM—…", 833),
    ("W@%", 944),
)
_WIDTHS = {letter: width for letters, width in _CLASSES for letter in letters}
_OTHERS = 600


@dataclass(frozen=True)
class Preview:
    """What would stand there. ``cut``: something is left out; ``filled``: it was not typed but taken from elsewhere."""

    title: str
    title_cut: bool
    title_filled: bool
    description: str
    description_cut: bool
    description_filled: bool
    address: str


def width(text: str, size: int) -> float:
    """The width of a line of text in pixels at a letter size in pixels."""
    return sum(_WIDTHS.get(letter, _OTHERS) for letter in text) * size / 1000


def cut(text: str, most: int, size: int) -> tuple[str, bool]:
    """The text as far as it fits into ``most`` pixels, ended at a word with three dots; and whether it was cut."""
    if width(text, size) <= most:
        return text, False
    room = most - width(" ...", size)
    fitting = 0.0
    end = 0
    for place, letter in enumerate(text):
        fitting += _WIDTHS.get(letter, _OTHERS) * size / 1000
        if fitting > room:
            break
        end = place + 1
    head = text[:end]
    at_word = head.rsplit(" ", 1)[0] if " " in head.strip() and not text[end : end + 1].isspace() else head
    return f"{at_word.rstrip(' ,.;:')} ...", True


def summary(meta_description: str, short_text: str, description: str) -> str:
    """What a page says of itself to search engines, on one line; ``description``: rich text."""
    return " ".join((meta_description or short_text or to_plain(description)).split())


def preview(
    *, name: str, shop: str, meta_title: str, meta_description: str, short_text: str, description: str, address: str
) -> Preview:
    """The entry of a product's page. An empty title is filled from the name, an empty description from the copy."""
    title, title_cut = cut(meta_title or (f"{name} · {shop}" if name else shop), TITLE_WIDTH, TITLE_SIZE)
    copy = summary(meta_description, short_text, description)
    text, text_cut = cut(copy, DESCRIPTION_WIDTH, DESCRIPTION_SIZE)
    return Preview(title, title_cut, not meta_title, text, text_cut, not meta_description, address)
