"""What a buyer chooses with an article, with what each entry adds and what it comes to, as the shop shows prices."""

from collections.abc import Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, field
from decimal import Decimal

from graupel.context import Context
from graupel.core import baskets, choice_answers, choices
from graupel.core.choices import UNSAID, Answer, Choice
from graupel.core.problems import Problem
from graupel.core.stock import show
from graupel.core.taxes import Shown
from graupel.db import Tx
from graupel.features.choices import reading
from graupel.features.kits import reading as kits
from graupel.features.orders import basket_forms
from graupel.features.products.service import Variant
from graupel.features.shop import offers
from graupel.features.shop.related import Offered
from graupel.features.shop.service import ShownProduct
from graupel.features.shop.windows import Window
from graupel.features.terms import stocks


@dataclass(frozen=True)
class Asked:
    """The form beside an article.

    ``choices``: those that are asked now, with what was answered; ``adds``: by choice and entry what it adds, as shown;
    ``each`` and ``together``: what a piece and the whole line come to, None without a price; ``wrong``: sentences by
    field; ``days``: by choice the first and the last day that can be chosen.
    """

    choices: Sequence[tuple[Choice, Answer]] = ()
    adds: Mapping[tuple[int, int], Decimal] = field(default_factory=dict)
    each: Decimal | None = None
    together: Decimal | None = None
    quantity: str = "1"
    pays: str = ""
    wrong: Mapping[str, str] = field(default_factory=dict)
    days: Mapping[int, tuple[str, str]] = field(default_factory=dict)
    changes_weight: int = 0
    offered: Sequence[Offered] = ()
    ticked: frozenset[int] = frozenset()

    @property
    def in_all(self) -> Decimal | None:
        """What the line comes to with what is put in with it."""
        if self.together is None:
            return None
        return self.together + sum((one.price for one in self.offered if one.variant_id in self.ticked), Decimal(0))

    @property
    def by_choices(self) -> bool:
        """Whether something else is to be paid than what stands above: by what was chosen, or for several."""
        return self.each is not None and self.in_all != self.each


def asked(
    ctx: Context,
    window: Window,
    found: ShownProduct,
    shown: Variant | None,
    sent: Mapping[str, Sequence[str]] | None,
    quantity: str = "",
    pays: str = "",
    problems: Sequence[Problem] = (),
) -> Asked:
    """The form of an article in one variant. ``sent``: what was answered; None: its defaults stand there."""
    return ctx.db.run(lambda tx: _asked(ctx, tx, window, found, shown, sent, quantity, pays, problems))


def _asked(
    ctx: Context,
    tx: Tx,
    window: Window,
    found: ShownProduct,
    shown: Variant | None,
    sent: Mapping[str, Sequence[str]] | None,
    quantity: str,
    pays: str,
    problems: Sequence[Problem],
) -> Asked:
    kit = kits.of_product(ctx, tx, found.product.id, window.lens)
    every = [*kit.picks, *reading.in_words(tx, reading.of_product(tx, found.product.id), window.lens)]
    answers = choices.defaults(every) if sent is None else choice_answers.read(every, sent)
    now = [(one, answers.get(one.id, UNSAID)) for one in choices.asked(every, answers)]
    today = stocks.today(ctx, tx)
    days = {one.id: choice_answers.first_and_last(one.limits, today) for one, _ in now if one.kind is choices.Kind.DAY}
    rules = found.selling.ordering.get(shown.id) if shown else None
    least = show(rules.least) if rules else "1"
    wrong = {one.field or "": one.message for one in problems}
    count = basket_forms.read_quantity(quantity or least)
    kept = next((one for one in found.asking.product.variants if shown and one.id == shown.id), None)
    quote = found.asking.quote(kept, max(int(count or 1), 1)) if kept else None
    if quote is None:
        return Asked(now, quantity=quantity or least, pays=pays, wrong=wrong, days=days)
    rule, taxing, how = found.asking.place.rule, found.asking.taxing, window.terms.tax_shown
    price = quote.asked
    if found.asking.values.buyer_raises:
        with suppress(ValueError):  # what can't be read is told when it is put into the basket
            price = baskets.paid(price, basket_forms.read_pays(pays, rule.decimals))
    adds = {
        (one.id, entry.id): _shown_difference(choices.adds(entry, price, rule), price, found, how)
        for one, _ in now
        for entry in one.entries
    }
    line = choices.chosen(every, answers, price, shown.sku if shown else "", rule)
    number = count or Decimal(1)
    together = offers.shown_line(line.piece, number, line.once, taxing, how, rule)
    return Asked(
        now,
        adds,
        offers.shown(quote.asked, taxing, how),
        together,
        quantity or least,
        pays,
        wrong,
        days,
        line.weight_g + line.weight_once_g,
    )


def _shown_difference(amount: Decimal, price: Decimal, found: ShownProduct, how: Shown) -> Decimal:
    """By how much an entry changes what the shop shows: tax is in it where it is in the price."""
    if not amount:
        return amount
    taxing = found.asking.taxing
    return offers.shown(max(price + amount, Decimal(0)), taxing, how) - offers.shown(price, taxing, how)
