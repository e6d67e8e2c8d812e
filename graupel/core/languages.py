"""Languages: their codes (BCP 47), their names, and in which one another is looked for where words are missing."""

import re
from collections.abc import Iterable

from babel import Locale, UnknownLocaleError

from graupel.core.errors import Refused

#: A language, perhaps with a region or script: "de", "de-AT", "zh-Hant".
_CODE = re.compile(r"[a-z]{2,3}(?:-[A-Z][a-z]{3})?(?:-[A-Z]{2})?")


def parse(text: str) -> str:
    """A code such as "de" or "de-AT". Raises Refused where no such language is known."""
    head, *rest = text.strip().replace("_", "-").split("-")
    code = "-".join([head.lower(), *(part.upper() if len(part) == 2 else part.title() for part in rest)])
    if not _CODE.fullmatch(code) or not _locale(code):
        raise Refused.because(
            "language.unknown", f"“{text.strip()[:20]}” is no language that is known here. Write it like de or de-AT."
        )
    return code


def _locale(code: str) -> Locale | None:
    try:
        return Locale.parse(code, sep="-")
    except (UnknownLocaleError, ValueError):
        return None


def name(code: str, within: str = "en") -> str:
    """A language's name in another: "German"; the code itself where no name is known."""
    found = _locale(code)
    return (found.get_display_name(locale=within.replace("-", "_")) if found else None) or code


def locale(code: str) -> str:
    """The code as Babel takes it, for numbers, dates and money."""
    return code.replace("-", "_")


def chain(wanted: str, shops_own: str, default: str) -> tuple[str, ...]:
    """Where words are looked for, in order: the language, without its region, the shop's own, the default.

    The default stands as "": its words stand with the record itself.
    """
    found: Iterable[str] = (wanted, wanted.partition("-")[0], shops_own, default)
    return tuple(dict.fromkeys("" if code == default else code for code in found if code))
