"""The names and numbers by which goods are known."""

import re
from collections.abc import Callable

from stdnum import ean

from graupel.core.errors import Refused

SKU_LENGTH = 64
_SKU = re.compile(r"[A-Za-z0-9](?:[A-Za-z0-9 ._/+#-]*[A-Za-z0-9._/+#-])?")
_GTIN_LENGTHS = (8, 12, 13, 14)


def parse_sku(text: str, what: str = "SKU") -> str:
    """The SKU, or other code of ours, without blanks around it.

    Letters and digits of ASCII, blanks inside, and ``. _ / + # -``: what every marketplace,
    scanner and label takes. Upper and lower case count as the same SKU. Raises Refused.
    """
    sku = text.strip()
    if not sku:
        raise Refused.because("sku.missing", f"A {what} is needed, such as FEL-AR-100.")
    if len(sku) > SKU_LENGTH:
        raise Refused.because("sku.too_long", f"A {what} has at most {SKU_LENGTH} characters; this one has {len(sku)}.")
    if not _SKU.fullmatch(sku):
        odd = next((ch for ch in sku if not re.fullmatch(r"[A-Za-z0-9 ._/+#-]", ch)), sku[0])
        raise Refused.because(
            "sku.characters",
            f"A {what} can't hold “{odd}” there. Use the letters A to Z, digits, blanks inside and . _ / + # -; "
            "begin with a letter or digit.",
        )
    return sku


def parse_gtin(text: str) -> str:
    """A GTIN of 8, 12, 13 or 14 digits with a right check digit (GS1 General Specifications 7.9).

    Blanks and dashes between the digits are dropped. Raises Refused, naming the digit it should be.
    """
    digits = re.sub(r"[\s-]", "", text)
    if re.fullmatch(r"\d(?:[.,]\d+)?[Ee]\+?\d{1,3}", digits):
        raise Refused.because(
            "gtin.eaten",
            f"“{text.strip()}” is a GTIN that a spreadsheet shortened. Save its column as text, or leave it out.",
        )
    if not digits.isascii() or not digits.isdigit():
        raise Refused.because("gtin.characters", f"“{text.strip()}” is not a GTIN: it may hold digits only.")
    if (whole := with_zeros(digits)) != digits:
        said = f"“{digits}” is a GTIN only with zeros before it: {whole}. A spreadsheet may have eaten them."
        raise Refused.because("gtin.zeros", said)
    if len(digits) not in _GTIN_LENGTHS:
        raise Refused.because("gtin.length", f"A GTIN has 8, 12, 13 or 14 digits; “{digits}” has {len(digits)}.")
    right = gtin_check_digit(digits[:-1])
    if digits[-1] != right:
        raise Refused.because(
            "gtin.check_digit",
            f"The last digit of “{digits}” should be {right}, not {digits[-1]}. One of its digits is mistyped.",
        )
    return digits


def with_zeros(digits: str) -> str:
    """Digits with the zeros before them that make a GTIN of them, where they are none without; all else as it is."""
    if not digits.isascii() or not digits.isdigit() or not digits.strip("0") or _is_gtin(digits):
        return digits
    padded = (digits.zfill(length) for length in sorted(_GTIN_LENGTHS) if length > len(digits))
    return next((one for one in padded if _is_gtin(one)), digits)


def _is_gtin(digits: str) -> bool:
    return len(digits) in _GTIN_LENGTHS and digits[-1] == gtin_check_digit(digits[:-1])


def gtin_check_digit(body: str) -> str:
    """The check digit that belongs after ``body``."""
    return str(ean.calc_check_digit(body))


def free_number(is_given: Callable[[int], bool], first: int = 2) -> int:
    """A running number that is not given, and the one before it is (or it is the first).

    Found by doubling and halving, so that among a hundred thousand given ones some thirty are looked at.
    """
    given, number = first - 1, first
    while is_given(number):
        given, number = number, number * 2
    while number - given > 1:
        between = (given + number) // 2
        given, number = (between, number) if is_given(between) else (given, between)
    return number
