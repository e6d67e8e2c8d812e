"""Countries by their codes of two letters (ISO 3166-1), in the words of a language."""

from functools import cache

from babel import Locale

from graupel.core.errors import Refused

#: Codes of two letters that stand for no country.
_NONE = {"EU", "EZ", "UN", "QO", "XA", "XB", "ZZ", "AC", "CP", "DG", "EA", "IC", "TA", "CQ"}
#: The languages in whose words a country may be typed.
_TYPED_IN = ("en", "de")


@cache
def names(locale: str = "en") -> dict[str, str]:
    """All countries in the words of a locale, by code, in the order of these words."""
    known = Locale.parse(locale.replace("-", "_")).territories
    found = {code: name for code, name in known.items() if len(code) == 2 and code.isalpha() and code not in _NONE}
    return dict(sorted(found.items(), key=lambda pair: pair[1]))


def name(code: str | None, locale: str = "en") -> str:
    """One country in the words of a locale; "" for none, the code where the words are not known."""
    return names(locale).get(code, code) if code else ""


@cache
def _typed() -> dict[str, str]:
    typed = {word.casefold(): code for locale in _TYPED_IN for code, word in names(locale).items()}
    return typed | {code.casefold(): code for code in names()}


def parse(text: str) -> str | None:
    """The code of a country from its code or name, None where the text is blank. Raises Refused."""
    said = " ".join(text.split())
    if not said:
        return None
    code = _typed().get(said.casefold())
    if code is None:
        raise Refused.because(
            "country.unknown",
            f"“{said[:40]}” is no country. Write its name, such as Portugal, or its code, such as PT.",
        )
    return code
