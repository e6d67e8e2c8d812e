"""Where one can go: sections in the top bar, their pages in the strip below it, and what stands behind the person.

A later area joins by an entry here; its letter is what one types after ``g``.
"""

from dataclasses import dataclass


@dataclass(frozen=True)
class Place:
    """A page that one goes to. ``also``: other beginnings of addresses that belong to it; ``key``: after ``g``."""

    label: str
    address: str
    key: str
    also: tuple[str, ...] = ()

    def holds(self, path: str) -> bool:
        """Whether a path is this place's, or below it."""
        return any(path == one or path.startswith(f"{one}/") for one in (self.address, *self.also))


@dataclass(frozen=True)
class Section:
    """Pages that belong together, under one word of the top bar."""

    label: str
    places: tuple[Place, ...]

    def holds(self, path: str) -> bool:
        """Whether a path is one of its places', or below one."""
        return any(place.holds(path) for place in self.places)


SECTIONS = (
    Section("Today", (Place("Today", "/today", "t"),)),
    Section(
        "Goods",
        (
            Place("Products", "/products", "p"),
            Place("Categories", "/categories", "c"),
            Place("Vocabulary", "/vocabulary", "v", ("/relations",)),
            Place("Media", "/media", "m"),
            Place("Translate", "/translate", "l"),
        ),
    ),
    Section(
        "Selling",
        (
            Place("Prices", "/prices", "r"),
            Place("Stock", "/stock", "k"),
            Place("Choices", "/choices", "b"),
            Place("Downloads", "/downloads", "x"),
            Place("Orders", "/orders", "o"),
            Place("Reviews", "/reviews", "i"),
            Place("Searches", "/searches", "q"),
            Place("Delivery and tax", "/delivery", "d"),
        ),
    ),
    Section("In and out", (Place("Files", "/files", "f"), Place("Channels", "/channels", "n"))),
    Section(
        "Record",
        (Place("History", "/history", "h"), Place("Prepared", "/prepared", "y"), Place("Jobs", "/jobs", "j")),
    ),
)
#: Behind the person: what is set once, and the shop as buyers see it.
SETTLED = Section(
    "Yours",
    (
        Place("Account", "/account", "a"),
        Place("People", "/people", "u"),
        Place("Shops and languages", "/shops", "s"),
        Place("Settings", "/settings", "e"),
        Place("Shop window", "/shop", "w"),
    ),
)
ALL = (*SECTIONS, SETTLED)
#: What is shown of a section to whom: a place that is not listed is everybody's.
FOR_OWNERS = ("/people", "/settings")
WHERE_TRANSLATED = ("/translate",)


def shown(section: Section, *, owner: bool, translated: bool) -> list[Place]:
    """The places of a section that somebody can use."""
    hidden: dict[str, bool] = {
        **dict.fromkeys(FOR_OWNERS, not owner),
        **dict.fromkeys(WHERE_TRANSLATED, not translated),
    }
    return [place for place in section.places if not hidden.get(place.address)]


def section_of(path: str) -> Section | None:
    """The section that a path belongs to; None at the door and for errors."""
    return next((one for one in ALL if one.holds(path)), None)
