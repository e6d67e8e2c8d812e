"""Numbers as people type them: money and weights, with their signs and units."""

import re
from decimal import ROUND_HALF_UP, Decimal

from graupel.core.errors import Refused
from graupel.core.price_rules import decimals

MAX_PRICE = Decimal("9999999999.99")
MAX_WEIGHT_G = 100_000_000

_PLAIN = re.compile(r"\d{1,10}(\.\d{1,2})?")
_PLAIN_GRAMS = re.compile(r"(\d{1,7})(?: ?g)?")
_BLANKS = re.compile(r"[\s\u00a0\u202f]+")
_NUMBER = re.compile(r"[+-]?[\d.,']+")
_SQUARED = re.compile(r"[A-Za-z]{1,4}[23]")
_CURRENCY_SIGNS = {"€": "EUR", "$": "USD", "£": "GBP", "¥": "JPY", "₣": "CHF"}
_GRAMS = {
    "mg": Decimal("0.001"),
    "g": Decimal(1),
    "gr": Decimal(1),
    "gram": Decimal(1),
    "grams": Decimal(1),
    "dag": Decimal(10),
    "kg": Decimal(1000),
    "kilo": Decimal(1000),
    "kilos": Decimal(1000),
    "t": Decimal(1_000_000),
    "oz": Decimal("28.349523125"),  # the international avoirdupois ounce and pound
    "lb": Decimal("453.59237"),
    "lbs": Decimal("453.59237"),
}


def parse_money(text: str, currency: str = "EUR") -> Decimal:
    """An amount in ``currency`` with two decimals, from "12.50", "12,50", "€ 1.234,50", "EUR 12".

    Raises Refused where it is no amount, negative, in another currency, finer than the currency's smallest coin, or
    where a single separator before three digits leaves the meaning open.
    """
    text, places = _squeeze(text), decimals(currency)
    if _PLAIN.fullmatch(text) and places:
        return Decimal(text).quantize(Decimal("0.01"))
    number, word = _number_and_word(text, "price", "12.50")
    named = _CURRENCY_SIGNS.get(word, word.upper())
    if word and word not in _CURRENCY_SIGNS and not re.fullmatch("[A-Z]{3}", named):
        raise Refused.because("price.not_a_number", f"“{text}” is not a price. Write it like 12.50.")
    if named not in ("", currency):
        raise Refused.because(
            "price.currency", f"“{text}” is not in {currency}. Write the price in {currency}, such as 12.50."
        )
    amount = _decimal(number, text, "price", ambiguous_is_decimal=False)
    if amount < 0:
        raise Refused.because("price.negative", f"A price can't be below zero, but “{text}” is.")
    if amount > MAX_PRICE:
        raise Refused.because("price.too_large", f"“{text}” is more than {MAX_PRICE:,} {currency}.")
    if amount != round(amount, places):
        what = "more than two decimals. Round it, such as 12.50" if places else f"decimals, which {currency} has not"
        raise Refused.because("price.too_fine", f"“{text}” has {what}.")
    return amount.quantize(Decimal("0.01"))


def parse_weight(text: str) -> int:
    """Whole grams, from "250", "250 g", "1.2 kg", "1,2kg", "8 oz"; half grams are rounded up.

    A whole number without a unit is grams. Raises Refused where it is no weight, or could be another one.
    """
    text = _squeeze(text)
    if plain := _PLAIN_GRAMS.fullmatch(text):
        return int(plain[1])
    number, word = _number_and_word(text, "weight", "250 g or 1.2 kg")
    unit = word.lower() or "g"
    bare = Decimal(0) if word else _decimal(number, text, "weight", ambiguous_is_decimal=False)
    if abs(bare) <= MAX_WEIGHT_G and bare % 1:
        # Nobody means half a gram of yarn; it is kilograms that are written so.
        raise Refused.because("weight.no_unit", f"“{text}” has no unit. Write {text} kg, or the whole grams.")
    if unit not in _GRAMS:
        raise Refused.because(
            "weight.unit", f"“{word}” is not a unit of weight that is known here. Use g, kg, mg, oz or lb."
        )
    # Nobody weighs goods in thousands of kilograms: there, three digits after a mark are decimals.
    grams = _decimal(number, text, "weight", ambiguous_is_decimal=_GRAMS[unit] >= 28) * _GRAMS[unit]
    if grams < 0:
        raise Refused.because("weight.negative", f"A weight can't be below zero, but “{text}” is.")
    if grams > MAX_WEIGHT_G:
        raise Refused.because("weight.too_large", f"“{text}” is more than 100 tonnes.")
    return int(grams.quantize(Decimal(1), ROUND_HALF_UP))


def format_money(amount: Decimal | None) -> str:
    """ "12.50" as a field shows it; nothing where there is no amount."""
    return "" if amount is None else f"{amount:.2f}"


def format_weight(grams: int | None) -> str:
    """ "250 g" or "1.2 kg" as a field shows it; nothing where there is no weight."""
    if grams is None:
        return ""
    if grams >= 1000 and grams % 10 == 0:
        return f"{Decimal(grams) / 1000:f} kg"
    return f"{grams} g"


def split_number(text: str, what: str, example: str) -> tuple[Decimal, str]:
    """A signed number and the unit beside it, as written; "" where there is none. Raises Refused."""
    squeezed = _squeeze(text)
    number, word = _number_and_word(squeezed, what, example)
    return _decimal(number, squeezed, what, ambiguous_is_decimal=False), word


def _squeeze(text: str) -> str:
    return _BLANKS.sub(" ", text).strip()


def _number_and_word(text: str, what: str, example: str) -> tuple[str, str]:
    """The number and the sign or unit beside it, before or after."""
    bare = text.replace(" ", "")
    match = _NUMBER.search(bare)
    if not match or not any(ch.isdigit() for ch in match.group()):
        raise Refused.because(f"{what}.not_a_number", f"“{text}” is not a {what}. Write it like {example}.")
    before, after = bare[: match.start()], bare[match.end() :]
    if before in ("-", "+"):
        before = ""
    word = before or after
    odd = any(ch.isdecimal() for ch in word) and not _SQUARED.fullmatch(word)
    if (before and after) or odd or len(word) > 12:
        raise Refused.because(f"{what}.not_a_number", f"“{text}” is not a {what}. Write it like {example}.")
    return match.group().strip(), word


def _decimal(number: str, text: str, what: str, *, ambiguous_is_decimal: bool) -> Decimal:
    sign = -1 if number.startswith("-") else 1
    digits = number.lstrip("+-").replace("'", "")
    marks = [ch for ch in digits if ch in ".,"]
    if not marks:
        return sign * Decimal(digits)
    decimal_mark = _decimal_mark(digits, marks, text, what, ambiguous_is_decimal)
    whole, _, fraction = digits.rpartition(decimal_mark) if decimal_mark else (digits, "", "")
    groups = re.split(r"[.,]", whole)
    if len(groups) > 1 and any(len(group) != 3 for group in groups[1:]):
        raise Refused.because(
            f"{what}.not_a_number", f"“{text}” is not a {what}: its digits are not in groups of three."
        )
    joined = "".join(groups)
    if not (joined or fraction):
        raise Refused.because(f"{what}.not_a_number", f"“{text}” is not a {what}.")
    return sign * Decimal(f"{joined or '0'}.{fraction or '0'}")


def _decimal_mark(digits: str, marks: list[str], text: str, what: str, ambiguous_is_decimal: bool) -> str:
    """The mark before the decimals, or "" where all marks group thousands."""
    last = marks[-1]
    if len(set(marks)) == 2:
        if marks.count(last) > 1:
            raise Refused.because(f"{what}.not_a_number", f"“{text}” is not a {what}.")
        return last
    if len(marks) > 1:
        return ""
    whole, _, fraction = digits.partition(last)
    if len(fraction) != 3 or whole in ("", "0") or len(whole) > 3 or ambiguous_is_decimal:
        return last
    raise Refused.because(
        f"{what}.ambiguous",
        f"“{text}” can mean {whole}{fraction} or {whole}.{fraction}. "
        f"Write {whole}{fraction} or {whole}.{fraction[:2]}.",
    )
