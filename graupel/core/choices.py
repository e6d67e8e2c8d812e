"""What a buyer chooses while ordering: which choices are asked, and what the answers add.

A choice never makes a variant. Kinds in which something is picked have entries; of the others one entry stands for
"it was given". What an answer adds to the price comes after sale and quantity price: percentages are taken of what a
piece is asked, rounded half up to the currency's smallest coin, and do not build upon each other; fixed amounts pass
the destination's price rule as differences do. A piece never costs less than nothing.
"""

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date
from decimal import Decimal
from enum import StrEnum

from graupel.core.price_rules import PriceRule, rounded
from graupel.core.problems import Problem

NOTHING = Decimal(0)
MOST_ENTRIES = 500
NAME_LENGTH, HELP_LENGTH, LABEL_LENGTH, CODE_LENGTH = 80, 300, 120, 20


class Kind(StrEnum):
    """What the buyer does."""

    ONE = "one"
    SEVERAL = "several"
    AMOUNTS = "amounts"
    LINE = "line"
    TEXT = "text"
    NUMBER = "number"
    DAY = "day"
    FILE = "file"


#: Kinds in which something is picked among entries.
PICKED = frozenset({Kind.ONE, Kind.SEVERAL, Kind.AMOUNTS})


class Looks(StrEnum):
    """How entries of which one is picked stand there."""

    LIST = "list"
    BUTTONS = "buttons"
    SWATCHES = "swatches"


class AddsBy(StrEnum):
    """How an entry changes the price."""

    NOTHING = ""
    FIXED = "fixed"
    PERCENT = "percent"


@dataclass(frozen=True)
class Entry:
    """One entry. ``amount``: in the catalogue's currency, or a percentage; below 0 it takes off.

    ``once``: for the line, however many pieces are ordered; else for each piece. ``sku_code`` is appended to the SKU
    that is ordered; ``unshipped``: what is added need not be sent, so it weighs nothing in a parcel.
    ``swatch_picture``: the address of its picture.
    """

    id: int
    label: str = ""
    adds_by: AddsBy = AddsBy.NOTHING
    amount: Decimal = NOTHING
    once: bool = False
    weight_g: int | None = None
    sku_code: str = ""
    unshipped: bool = False
    sold_out: bool = False
    is_default: bool = False
    swatch: str = ""
    media_id: int | None = None
    swatch_picture: str = ""


@dataclass(frozen=True)
class Limits:
    """What an answer may be; None and () where nothing is said.

    ``least`` and ``most``: of a text its length in signs, of a number the number, of what is picked how many or how
    much in all. ``places``: decimals of a number. ``ahead``: the first day is so many days from today; ``weekdays``, 0
    for Monday, and ``days`` are closed. ``kinds``: endings of files, such as pdf; ``megabytes``: of a file.
    """

    least: Decimal | None = None
    most: Decimal | None = None
    places: int = 0
    first: date | None = None
    last: date | None = None
    ahead: int | None = None
    within: int | None = None
    weekdays: frozenset[int] = frozenset()
    days: frozenset[date] = frozenset()
    kinds: tuple[str, ...] = ()
    megabytes: int | None = None


@dataclass(frozen=True)
class Choice:
    """A buyer choice. ``name``: for the merchant; ``label``: for buyers; ``message``: where it is needed and missing.

    ``when``: it is asked only when this other choice was answered, with ``when_entry`` picked where one is named.
    ``default``: what stands in a field that is written in. ``product_id``: of one that is private to a product.
    """

    id: int
    name: str
    label: str
    kind: Kind = Kind.ONE
    looks: Looks = Looks.LIST
    help: str = ""
    needed: bool = False
    message: str = ""
    default: str = ""
    limits: Limits = field(default_factory=Limits)
    entries: Sequence[Entry] = ()
    when: int | None = None
    when_entry: int | None = None
    product_id: int | None = None
    version: int = 1

    @property
    def is_picked(self) -> bool:
        """Whether something is picked among entries."""
        return self.kind in PICKED

    @property
    def shown_label(self) -> str:
        """What buyers read."""
        return self.label or self.name

    def entry(self, entry_id: int) -> Entry | None:
        """One of its entries."""
        return next((one for one in self.entries if one.id == entry_id), None)


@dataclass(frozen=True)
class Answer:
    """What a buyer said to one choice: ``picked`` entries with how many of each, or a ``text``; of a file that is its
    name, with its size and under what it is kept."""

    picked: Mapping[int, int] = field(default_factory=dict)
    text: str = ""
    file_size: int = 0
    kept_as: str = ""

    def __bool__(self) -> bool:
        return bool(self.picked or self.text.strip())


Answers = Mapping[int, Answer]
UNSAID = Answer()


def still_there(choices: Sequence[Choice], answers: Answers) -> dict[int, Answer]:
    """Answers without entries and choices that were taken away since they were given."""
    found = {}
    for one in choices:
        answer = answers.get(one.id, UNSAID)
        ids = {entry.id for entry in one.entries}
        kept = {key: count for key, count in answer.picked.items() if key in ids} if one.is_picked else {}
        answer = replace(answer, picked=kept, text="" if one.is_picked else answer.text)
        if answer:
            found[one.id] = answer
    return found


# --- which are asked -----------------------------------------------------------------------------------------


def asked(choices: Sequence[Choice], answers: Answers) -> list[Choice]:
    """The choices that are asked, given what was answered so far; one whose other is not there is asked always."""
    by_id = {one.id: one for one in choices}
    known: dict[int, bool] = {}

    def holds(one: Choice, on_the_way: frozenset[int]) -> bool:
        if one.id not in known:
            other = by_id.get(one.when) if one.when else None
            if other is None or one.id in on_the_way:
                known[one.id] = True
            else:
                known[one.id] = holds(other, on_the_way | {one.id}) and _is_answered(other, one.when_entry, answers)
        return known[one.id]

    return [one for one in choices if holds(one, frozenset())]


def _is_answered(choice: Choice, entry_id: int | None, answers: Answers) -> bool:
    answer = answers.get(choice.id, UNSAID)
    return bool(answer) if entry_id is None else bool(answer.picked.get(entry_id))


def circle(start: int, whens: Mapping[int, int | None]) -> list[int]:
    """The ids of choices that each wait for the next, back to ``start``; empty where there is no such circle.

    ``whens``: by choice the one that it waits for.
    """
    way, at = [start], whens.get(start)
    while at is not None and at not in way:
        way.append(at)
        at = whens.get(at)
    return way if at == start else []


def defaults(choices: Iterable[Choice]) -> dict[int, Answer]:
    """What stands there before a buyer touches anything; an entry that is sold out is nobody's default."""
    found = {}
    for one in choices:
        picked = {entry.id: 1 for entry in one.entries if entry.is_default and not entry.sold_out}
        if one.kind is Kind.ONE:
            picked = dict(list(picked.items())[:1])
        answer = Answer(picked) if one.is_picked else Answer(text=one.default)
        if answer:
            found[one.id] = answer
    return found


# --- what an answer adds -------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Addition:
    """What one entry adds: ``amount``: in the destination's currency, of all that was picked of it."""

    choice: Choice
    entry: Entry
    amount: Decimal
    times: int = 1

    @property
    def once(self) -> bool:
        """Whether it counts once for the line."""
        return self.entry.once


def adds(entry: Entry, price: Decimal, rule: PriceRule) -> Decimal:
    """What an entry adds to a piece that is asked ``price``, or once to its line; ``rule``: the destination's."""
    if entry.adds_by is AddsBy.PERCENT:
        return rounded(price * entry.amount / 100, rule.decimals)
    return rule.difference(entry.amount) if entry.adds_by is AddsBy.FIXED else NOTHING


def additions(choices: Sequence[Choice], answers: Answers, price: Decimal, rule: PriceRule) -> list[Addition]:
    """What the answers to the choices that are asked add, in the order of the choices."""
    found = []
    for one in asked(choices, answers):
        answer = answers.get(one.id, UNSAID)
        for entry in one.entries:
            times = answer.picked.get(entry.id, 0) if one.is_picked else int(bool(answer))
            if times:
                found.append(Addition(one, entry, adds(entry, price, rule) * times, times))
    return found


@dataclass(frozen=True)
class Chosen:
    """What a line comes to by a buyer's answers. ``piece``: for one, never below 0; ``once``: beside the pieces.

    ``weight_g``: of what each piece weighs more in a parcel, and ``weight_once_g`` of the line.
    """

    piece: Decimal
    once: Decimal = NOTHING
    weight_g: int = 0
    weight_once_g: int = 0
    sku: str = ""
    additions: Sequence[Addition] = ()

    def line(self, quantity: Decimal) -> Decimal:
        """The whole line, never below 0."""
        return max(self.piece * quantity + self.once, NOTHING)


def chosen(
    choices: Sequence[Choice], answers: Answers, price: Decimal, sku: str = "", rule: PriceRule | None = None
) -> Chosen:
    """What a piece that is asked ``price`` comes to with a buyer's answers."""
    found = additions(choices, answers, price, rule or PriceRule())
    heavy = [one for one in found if one.entry.weight_g and not one.entry.unshipped]

    def weight(*, once: bool) -> int:
        return sum((one.entry.weight_g or 0) * one.times for one in heavy if one.once is once)

    return Chosen(
        max(price + sum((one.amount for one in found if not one.once), NOTHING), NOTHING),
        sum((one.amount for one in found if one.once), NOTHING),
        weight(once=False),
        weight(once=True),
        "-".join([sku, *(one.entry.sku_code for one in found if one.entry.sku_code)]),
        found,
    )


def is_made_of(text: str, codes: Collection[str]) -> bool:
    """Whether a text is codes with hyphens between, as ``chosen`` appends them to a SKU: "GP", "GP-BOX"."""
    return any(
        text == code or (text.startswith(f"{code}-") and is_made_of(text[len(code) + 1 :], codes)) for code in codes
    )


# --- making one ----------------------------------------------------------------------------------------------


def problems_of(choice: Choice, others: Mapping[int, "Choice"]) -> list[Problem]:
    """Why a choice can't be kept as it is. ``others``: those that it may wait for, by id."""
    found: list[Problem] = []
    if not choice.name:
        found.append(Problem("choice.name", "A choice needs a name, such as Gift wrap.", "name"))
    if choice.is_picked and not choice.entries:
        found.append(Problem("choice.entries", "Give it at least one entry that a buyer can pick.", "label-0"))
    if len(choice.entries) > MOST_ENTRIES:
        found.append(Problem("choice.many", f"At most {MOST_ENTRIES} entries are kept.", "label-0"))
    found += _entry_problems(choice)
    limits = choice.limits
    if limits.least is not None and limits.most is not None and limits.least > limits.most:
        found.append(Problem("choice.limits", f"The least, {limits.least:f}, is more than the most.", "least"))
    if limits.first and limits.last and limits.first > limits.last:
        found.append(Problem("choice.days", "The last day comes before the first.", "last"))
    if len(limits.weekdays) == 7:
        found.append(Problem("choice.days", "All days of the week are closed: nothing could be chosen.", "weekdays"))
    return found + _when_problems(choice, others)


def _entry_problems(choice: Choice) -> list[Problem]:
    found, seen = [], set()
    for place, entry in enumerate(choice.entries):
        word = entry.label.casefold()
        if choice.is_picked and word in seen:
            found.append(Problem("choice.twice", f"“{entry.label}” stands there twice.", f"label-{place}"))
        seen.add(word)
        if entry.adds_by is AddsBy.PERCENT and entry.amount < -100:
            text = f"{entry.amount.normalize():f} % would take off more than the price. At most -100 %."
            found.append(Problem("choice.percent", text, f"adds-{place}"))
    return found


def _when_problems(choice: Choice, others: Mapping[int, Choice]) -> list[Problem]:
    if choice.when is None:
        return []
    other = others.get(choice.when)
    if other is None or choice.when == choice.id:
        return [Problem("choice.when", "The choice that it waits for is not there any more.", "when")]
    if choice.when_entry is not None and other.entry(choice.when_entry) is None:
        return [Problem("choice.when", f"“{other.name}” does not have this entry any more.", "when")]
    way = circle(choice.id, {**{key: one.when for key, one in others.items()}, choice.id: choice.when})
    if not way:
        return []
    names = [choice.name if key == choice.id else others[key].name for key in way]
    said = " waits for ".join(f"“{name}”" for name in [*names, names[0]])
    return [Problem("choice.circle", f"That would go round in a circle: {said}.", "when")]


def least_price(choices: Collection[Choice], price: Decimal, rule: PriceRule | None = None) -> Decimal:
    """What a piece could come to at the least if a buyer picked all that takes off; below 0 it would be given away."""
    by = rule or PriceRule()
    down = NOTHING
    for one in choices:
        lows = [adds(entry, price, by) for entry in one.entries if not entry.once and not entry.sold_out]
        taken = [low for low in lows if low < 0]
        down += min(taken, default=NOTHING) if one.kind is Kind.ONE else sum(taken, NOTHING)
    return price + down


def attribute_meant(choice: Choice, attributes: Mapping[str, Collection[str]]) -> str:
    """The name of an attribute that a choice repeats, by its name or by its entries; "" where it repeats none.

    ``attributes``: those that variants may differ by, with the labels of their choices. Who asks for what makes
    another article counts no stock of it.
    """
    called = {choice.name.strip().casefold(), choice.label.strip().casefold()} - {""}
    labels = {entry.label.casefold() for entry in choice.entries if entry.label}
    for name, values in attributes.items():
        if name.casefold() in called or (len(labels) > 1 and labels <= {one.casefold() for one in values}):
            return name
    return ""
