"""What buyers are told of stock and of how much they may order, in the shop's language."""

from decimal import Decimal

from graupel.core.availability import Sells, Standing
from graupel.core.ordering import Ordering
from graupel.core.phrases import phrase
from graupel.features.destinations.service import Seen
from graupel.web import formats

#: How few are left is said of fewer than these.
FEW = 5


def stock(sells: Sells | None, seen: Seen) -> str:
    """Whether a variant can be had, and when; "" where that needs no word."""
    if sells is None:
        return ""
    lang = seen.language
    back = formats.buyers_date(sells.back_on, seen.locale) if sells.back_on else ""
    match sells.standing:
        case Standing.IN | Standing.LOW:
            few = sells.ready is not None and sells.ready < FEW
            return phrase("Only {} left", lang, _number(sells.ready, seen)) if few else phrase("In stock", lang)
        case Standing.LATER:
            if back:
                return phrase("Can be ordered; sent from {} on", lang, back)
            return phrase("Can be ordered; takes longer", lang)
        case Standing.COMING:
            assert sells.rules.coming_on
            return phrase("Coming on {}", lang, formats.buyers_date(sells.rules.coming_on, seen.locale))
        case Standing.OUT:
            return phrase("Sold out; back on {}", lang, back) if back else phrase("Sold out", lang)
        case Standing.OFF:
            return phrase("Not for sale at present", lang)
    return ""


def ordering(rules: Ordering | None, seen: Seen) -> list[str]:
    """How many an order may have, in short sentences; none where any number may."""
    if rules is None:
        return []
    lang = seen.language
    if rules.is_one:
        return [phrase("One per order", lang)]

    def much(amount: Decimal) -> str:
        return f"{_number(amount, seen)} {rules.unit}".strip()

    found = []
    if rules.unit or rules.step != 1:
        found.append(phrase("Sold in steps of {}", lang, much(rules.step)))
    if rules.least != rules.step:
        found.append(phrase("At least {} per order", lang, much(rules.least)))
    if rules.most is not None:
        found.append(phrase("At most {} per order", lang, much(rules.most)))
    return found


def _number(amount: Decimal | None, seen: Seen) -> str:
    return formats.number(amount or Decimal(0), seen.locale)
