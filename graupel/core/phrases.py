"""The shop window's own words, in the languages of the catalogues that stand beside this module.

The catalogues are gettext's (``locale/<language>.po``), their keys the English words. They are read once each, as
Babel reads its own data. A language that has none is answered in English, and the pages on which a language is chosen
say so before.
"""

from functools import cache
from pathlib import Path
from typing import Any

from babel.messages.catalog import Catalog
from babel.messages.pofile import read_po

FOLDER = Path(__file__).parent / "locale"
#: The language of the keys.
OWN = "en"


@cache
def known() -> frozenset[str]:
    """The languages in which the shop window speaks, without regions."""
    return frozenset({OWN, *(path.stem for path in FOLDER.glob("*.po"))})


@cache
def catalogue(lang: str) -> Catalog:
    """The catalogue of a language that is known and not English."""
    with (FOLDER / f"{lang}.po").open("rb") as file:
        return read_po(file, locale=lang, abort_invalid=True)


def speaks(lang: str) -> bool:
    """Whether the shop window has its own words in a language ("de", "de-AT")."""
    return _without_region(lang) in known()


def _without_region(lang: str) -> str:
    return lang.partition("-")[0].partition("_")[0]


@cache
def _words(lang: str) -> dict[str, str]:
    if lang == OWN or lang not in known():
        return {}
    return {str(one.id): str(one.string) for one in catalogue(lang) if one.id and one.string}


def phrase(words: str, lang: str, *values: Any) -> str:
    """English words in a language ("de", "de-AT"), with values in their places "{}"; English where it has none."""
    return _words(_without_region(lang)).get(words, words).format(*values)
