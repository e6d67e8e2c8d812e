"""What variants cost at a destination and a moment, by sets in SQL.

core.quoting says the same of one; a test holds the two against each other. Only those kinds of sale are joined of
which any holds at the moment; where none does, what is asked is the price.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from graupel.core.declarations.products import CHOICES
from graupel.core.endings import Ending, Way
from graupel.core.price_rules import PriceRule, decimals
from graupel.core.resolve import Lens
from graupel.core.sales import Reach, TakesOff
from graupel.db import Tx
from graupel.features.destinations import terms
from graupel.features.terms import store

_ROUNDED = {Way.UP: "CEILING({x})", Way.DOWN: "FLOOR({x})", Way.NEAREST: "FLOOR({x} + 0.5)"}
#: More than anything costs: stands for "no price" where the lowest is looked for.
_BEYOND = "9999999999999"


@dataclass
class _Catalogue:
    """In what catalogue prices are written; sets that follow a change know of no settings."""

    currency: str = "EUR"


_catalogue = _Catalogue()


def register(currency: str) -> None:
    """Say in which currency the catalogue is written."""
    _catalogue.currency = currency


def ending_sql(amount: str, ending: Ending | None) -> str:
    """SQL of an amount that is not negative, moved to an ending (core.endings)."""
    if ending is None:
        return amount
    least = ending.rest or ending.step
    moved = _ROUNDED[ending.way].format(x=f"(({amount}) - {ending.rest}) / {ending.step}")
    return f"IF(({amount}) > 0, GREATEST({moved} * {ending.step} + {ending.rest}, {least}), 0)"


def rule_sql(amount: str, rule: PriceRule | None) -> str:
    """SQL of an amount of the catalogue by a price rule (core.price_rules)."""
    if rule is None:
        return amount
    plain = f"GREATEST(ROUND(({amount}) * {rule.factor:f} + {rule.amount:f}, {rule.decimals}), 0)"
    return ending_sql(plain, rule.ending)


@dataclass(frozen=True)
class AskedSql:
    """``joins``: of the sales, to be put behind a variant ``v``; ``asked``: SQL of what is paid for a piece.

    ``sale``: SQL of the id of the sale that is nearest, NULL where none holds.
    """

    joins: str
    asked: str
    sale: str


@dataclass(frozen=True)
class _Pricing:
    """SQL of one variant's price at a destination. ``here``: whether it was typed there."""

    typed: str
    here: str
    lens: Lens
    ending: Ending | None

    @property
    def regular(self) -> str:
        if self.here == "TRUE":
            return self.typed
        if self.here == "FALSE":
            return rule_sql(self.typed, self.lens.rule)
        return f"IF({self.here}, {self.typed}, {rule_sql(self.typed, self.lens.rule)})"

    def by(self, sale: str, *, own: bool) -> str:
        """The price by a sale under an alias; ``own``: the sale is the destination's."""
        rule = self.lens.rule or PriceRule(decimals=decimals(self.lens.currency or _catalogue.currency))
        amount = f"{sale}.amount"
        price = amount if own else rule_sql(amount, self.lens.rule)
        taken = amount if own else f"ROUND({amount} * {rule.factor:f}, {rule.decimals})"
        there = self._ended(sale, self._left(sale, self.regular, taken, rule.decimals), self._ending(rule))
        if not own and self.here != "TRUE":
            first = self._ended(sale, self._left(sale, self.typed, amount, decimals(_catalogue.currency)), self.ending)
            by_rule = rule_sql(first, self.lens.rule)
            there = by_rule if self.here == "FALSE" else f"IF({self.here}, {there}, {by_rule})"
        return f"IF({sale}.takes_off = '{TakesOff.PRICE}', {price}, {there})"

    def _ending(self, rule: PriceRule) -> Ending | None:
        return rule.ending or (None if self.lens.currency else self.ending)

    @staticmethod
    def _left(sale: str, base: str, taken: str, decimals: int) -> str:
        percent = f"({base}) * {sale}.amount / 100"
        off = f"IF({sale}.takes_off = '{TakesOff.PERCENT}', {percent}, {taken})"
        return f"GREATEST(ROUND(({base}) - {off}, {decimals}), 0)"

    @staticmethod
    def _ended(sale: str, amount: str, ending: Ending | None) -> str:
        return f"IF({sale}.ends_so, {ending_sql(amount, ending)}, {amount})" if ending else amount


def asked(
    tx: Tx,
    lens: Lens,
    typed: str,
    here: str,
    at: datetime | None = None,
    reaches: Sequence[Reach] = tuple(Reach),
    only: int | None = None,
) -> AskedSql:
    """SQL for variants ``v``. ``typed``: of the typed price; ``here``: whether that is the destination's own.

    ``at``: the moment, UTC; None for now. ``reaches``: the sales that are looked for; ``only``: this one alone,
    whenever it holds.
    """
    at = at or store.moment(tx)
    running = store.running(tx, lens.destination, at) if only is None else store.kind_of(tx, only)
    pricing = _Pricing(typed, here, lens, terms.of_catalogue(tx).price_ending if running else None)
    joins: list[str] = []
    prices, sales = [], []
    for reach in reaches:
        for where in dict.fromkeys((lens.destination, "")):
            if {"reach": str(reach), "destination": where} in running:
                held = f"{{s}}.id = {int(only)}" if only else _holds(reach, where, lens, at)
                aliases = _join(reach, held, joins)
                price, sale = _lowest(aliases, pricing, own=where == lens.destination)
                prices.append(price)
                sales.append(sale)
    if not prices:
        return AskedSql("", pricing.regular, "NULL")
    by_sale = f"COALESCE({', '.join(prices)}, {_BEYOND})"
    return AskedSql(" ".join(joins), f"LEAST({pricing.regular}, {by_sale})", f"COALESCE({', '.join(sales)}, NULL)")


def _holds(reach: Reach, where: str, lens: Lens, at: datetime) -> str:
    """SQL: a sale ``{s}`` of one kind holds at the moment and the destination."""
    holds = f"{{s}}.reach = '{reach}' AND {{s}}.destination = '{where}' AND {{s}}.begins <= '{at:%Y-%m-%d %H:%M:%S.%f}'"
    holds += f" AND ({{s}}.ends IS NULL OR {{s}}.ends > '{at:%Y-%m-%d %H:%M:%S.%f}')"
    if where != lens.destination and not lens.converts:
        holds += f" AND {{s}}.takes_off = '{TakesOff.PERCENT}'"
    return holds


def _join(reach: Reach, holds: str, joins: list[str]) -> list[str]:
    """Join the sales of one kind; returns their aliases. All but those for choices are one a variant."""
    targets = {Reach.VARIANT: ["v.id"], Reach.PRODUCT: ["0"], Reach.CHOICE: [f"v.{one}" for one in CHOICES]}
    if reach is Reach.ALL:
        alias = f"s{len(joins)}"
        # At most one: put beside each row as it is, instead of being looked for among all sales row by row.
        joins.append(f"LEFT JOIN (SELECT * FROM sale sx WHERE {holds.format(s='sx')} LIMIT 1) {alias} ON TRUE")
        return [alias]
    found = []
    for target in targets[reach]:
        alias = f"s{len(joins)}"
        joins.append(
            f"""LEFT JOIN (sale_goods g{alias} STRAIGHT_JOIN sale {alias} ON {alias}.id = g{alias}.sale_id
                  AND {holds.format(s=alias)})
                ON g{alias}.product_id = v.product_id AND g{alias}.target = {target}"""
        )
        found.append(alias)
    return found


def _lowest(aliases: Sequence[str], pricing: _Pricing, *, own: bool) -> tuple[str, str]:
    """SQL of the lowest price by sales that are equally near, NULL where none holds, and of one of the sales."""
    by = {one: f"IF({one}.id IS NULL, NULL, {pricing.by(one, own=own)})" for one in aliases}
    if len(by) == 1:
        return by[aliases[0]], f"{aliases[0]}.id"
    least = f"LEAST({', '.join(f'COALESCE({sql}, {_BEYOND})' for sql in by.values())})"
    return f"NULLIF({least}, {_BEYOND})", f"COALESCE({', '.join(f'{one}.id' for one in aliases)})"
