"""What can be sold of a variant: one function for editor, table, shop window, interface for programs and listings.

By sets, terms/sells_sql.py says the same in SQL; a test holds the two against each other.
"""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import date
from decimal import Decimal
from enum import StrEnum
from typing import Any

from graupel.core.kits import Makes
from graupel.core.stock import show

#: Below so many it is reported where nobody says otherwise.
LOW_STOCK = Decimal(5)


class Switch(StrEnum):
    """What overrides the stock, both ways."""

    BY_STOCK = "by_stock"
    ALWAYS = "always"
    NEVER = "never"


class AtZero(StrEnum):
    """What happens when nothing is left to sell."""

    STOP = "stop"
    GO_ON = "go_on"
    LIMIT = "limit"
    HIDE = "hide"


class Standing(StrEnum):
    """How a variant stands, the best first."""

    IN = "in"
    UNCOUNTED = "uncounted"
    LOW = "low"
    LATER = "later"
    COMING = "coming"
    OUT = "out"
    OFF = "off"


@dataclass(frozen=True)
class Rules:
    """The rules of one variant, as they hold for it.

    ``limit``: how many are sold beyond what is there, where it goes on up to a limit; ``held_back``: kept from sale;
    ``least``: fewer than so many do not count as available; ``low``: below it, it is reported; ``back_on``: the day on
    which it is back; ``coming_on``: the day before which it is only announced.
    """

    switch: Switch = Switch.BY_STOCK
    at_zero: AtZero = AtZero.STOP
    limit: Decimal = Decimal(0)
    held_back: Decimal = Decimal(0)
    least: Decimal = Decimal(0)
    low: Decimal = LOW_STOCK
    back_on: date | None = None
    coming_on: date | None = None


@dataclass(frozen=True)
class Held:
    """What is there of a variant: whether it is counted, how much, and how much of it is promised to orders.

    ``made``: of a kit how many its parts make, whatever is counted of itself.
    """

    counted: bool = False
    on_hand: Decimal = Decimal(0)
    reserved: Decimal = Decimal(0)
    made: Makes | None = None


NOT_COUNTED = Held()


@dataclass(frozen=True)
class Sells:
    """What sells. ``ready``: what can be had at once, ``most``: what can be ordered; None in either: without end.

    ``free``: what is there and neither reserved nor held back. ``hidden``: buyers do not see it at all.
    """

    standing: Standing
    ready: Decimal | None
    most: Decimal | None
    free: Decimal
    hidden: bool
    held: Held
    rules: Rules
    today: date

    @property
    def can_be_had(self) -> bool:
        """Whether a buyer can order any."""
        return self.most is None or self.most > 0

    @property
    def back_on(self) -> date | None:
        """When it is back, where that lies ahead and nothing is there."""
        due = self.rules.back_on
        return due if due and due > self.today and self.standing in (Standing.LATER, Standing.OUT) else None

    @property
    def is_low(self) -> bool:
        """Whether it is below its threshold, or gone."""
        by_stock = self.rules.switch is Switch.BY_STOCK and self.held.made is None  # of a kit its parts are
        return self.held.counted and self.free < self.rules.low and by_stock


def sells(held: Held, rules: Rules, today: date) -> Sells:
    """What can be sold of a variant on a day of the shop."""

    held, rules = _as_made(held, rules)

    def found(standing: Standing, ready: Decimal | None, most: Decimal | None, *, hidden: bool = False) -> Sells:
        return Sells(standing, ready, most, free, hidden, held, rules, today)

    free = held.on_hand - held.reserved - rules.held_back
    nothing = Decimal(0)
    if rules.switch is Switch.NEVER:
        return found(Standing.OFF, nothing, nothing)
    if rules.coming_on and rules.coming_on > today:
        return found(Standing.COMING, nothing, nothing)
    if rules.switch is Switch.ALWAYS or not held.counted:
        return found(Standing.UNCOUNTED, None, None)
    ready = free if free > 0 and free >= rules.least else nothing
    beyond = {AtZero.GO_ON: None, AtZero.LIMIT: max(free + rules.limit, nothing)}
    most = beyond.get(rules.at_zero, ready)
    if ready:
        standing = Standing.LOW if free < rules.low else Standing.IN
        return found(standing, ready, most if most is None else max(most, ready))
    if most is None or most > 0:
        return found(Standing.LATER, nothing, most)
    return found(Standing.OUT, nothing, nothing, hidden=rules.at_zero is AtZero.HIDE)


def _as_made(held: Held, rules: Rules) -> tuple[Held, Rules]:
    """Of a kit its parts say what is there and what happens at zero: more can't be sold of it than of them."""
    if held.made is None:
        return held, rules
    ready, most = held.made.ready, held.made.most
    by_stock = Switch.BY_STOCK if rules.switch is Switch.ALWAYS else rules.switch
    there = Held(ready is not None, ready or Decimal(0), made=held.made)
    if most is None:
        return there, replace(rules, switch=by_stock, at_zero=AtZero.GO_ON)
    if most > there.on_hand:
        return there, replace(rules, switch=by_stock, at_zero=AtZero.LIMIT, limit=most - there.on_hand)
    ends = AtZero.HIDE if rules.at_zero is AtZero.HIDE else AtZero.STOP
    return there, replace(rules, switch=by_stock, at_zero=ends)


# --- rules in layers -----------------------------------------------------------------------------------------


class Layer(StrEnum):
    """Where a rule may be said, the nearest first."""

    VARIANT = "variant"
    PRODUCT = "product"
    TYPE = "type"
    SHOP = "shop"


#: The rules' fields, as they are declared, with what they are called in Rules and what holds where nobody says.
FIELDS: dict[str, tuple[str, Any]] = {
    "sells": ("switch", Switch.BY_STOCK),
    "at_zero": ("at_zero", AtZero.STOP),
    "zero_limit": ("limit", Decimal(0)),
    "held_back": ("held_back", Decimal(0)),
    "least_stock": ("least", Decimal(0)),
    "low_stock": ("low", LOW_STOCK),
    "back_on": ("back_on", None),
    "coming_on": ("coming_on", None),
}
#: Said of single goods alone: a day or a switch of the whole shop would be a slip.
OF_GOODS = ("sells", "back_on", "coming_on")
_WORDS = {"sells": Switch, "at_zero": AtZero}
Layers = Mapping[Layer, Mapping[str, Any]]


def layered(name: str, layers: Layers) -> tuple[Any, Layer | None]:
    """What holds of a rule, and where it is said; None where nobody says it."""
    for layer in Layer:
        value = layers.get(layer, {}).get(name)
        if value is not None and value != "":
            return value, layer
    return None, None


def rules_of(layers: Layers) -> Rules:
    """The rules that hold for a variant."""
    found: dict[str, Any] = {}
    for name, (kept, usual) in FIELDS.items():
        value = layered(name, layers)[0]
        found[kept] = usual if value is None else _WORDS[name](value) if name in _WORDS else value
    return Rules(**found)


# --- in words ------------------------------------------------------------------------------------------------


def day_words(day: date) -> str:
    """A day as the interface writes it: 5 Dec 2026."""
    return f"{day.day} {day:%b %Y}"


def _then(one: Sells) -> str:
    limit = show(one.rules.limit)
    return {
        AtZero.STOP: "then stops",
        AtZero.GO_ON: "then goes on" + (f" and says {day_words(one.back_on)}" if one.back_on else ""),
        AtZero.LIMIT: f"then goes on for {limit} more",
        AtZero.HIDE: "then it is hidden",
    }[one.rules.at_zero]


def _kept_from_sale(one: Sells) -> str:
    parts = [(one.held.reserved, "reserved"), (one.rules.held_back, "held back")]
    said = [f"{show(amount)} {'is' if amount == 1 else 'are'} {word}" for amount, word in parts if amount]
    return " and ".join(said)


def sentence(one: Sells) -> str:
    """What sells, for the merchant: "Sells 12 of 15: 3 are reserved; then stops." """
    match one.standing:
        case Standing.OFF:
            return "Is not sold: switched off."
        case Standing.COMING:
            assert one.rules.coming_on
            return f"Is not sold yet: coming on {day_words(one.rules.coming_on)}."
        case Standing.UNCOUNTED:
            why = "switched on, whatever is there" if one.held.counted else "stock is not counted"
            why = "of none of its parts stock is counted" if one.held.made else why
            return f"Sells without end: {why}."
    there, kept = show(one.held.on_hand), _kept_from_sale(one)
    about = f" of {there}: {kept}" if kept else ""
    if one.held.made and not kept:
        about = ", as many as its parts make" if one.ready else ": its parts make none"
    if one.ready:
        return f"Sells {show(one.ready)}{about}; {_then(one)}."
    few = f": fewer than {show(one.rules.least)} do not count" if 0 < one.free < one.rules.least and not kept else about
    if one.standing is Standing.LATER:
        on = f", and says {day_words(one.back_on)}" if one.back_on else ""
        much = "goes on without end" if one.most is None else f"goes on for {show(one.most)} more"
        return f"Nothing is there to sell{few}; {much}{on}."
    back = f" Back on {day_words(one.back_on)}." if one.back_on else ""
    return f"Sells nothing{few or ': none left'}{', and is hidden' if one.hidden else ''}.{back}"
