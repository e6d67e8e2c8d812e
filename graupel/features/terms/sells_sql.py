"""What sells, by sets in SQL. core.availability says the same of one; a test holds the two against each other."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from graupel.core.availability import FIELDS, LOW_STOCK, OF_GOODS, AtZero, Standing, Switch
from graupel.core.kits import Makes
from graupel.core.products import Status
from graupel.db import Tx
from graupel.features.terms import stock_store as store
from graupel.features.terms.rows import MakesRow

#: What holds where nobody says anything.
_USUAL = {"sells": f"'{Switch.BY_STOCK}'", "at_zero": f"'{AtZero.STOP}'", "low_stock": f"{LOW_STOCK}"}
_THERE = """LEFT JOIN stock sk ON sk.id = v.id LEFT JOIN selling_rules yr ON yr.type_key = p.type_id
            LEFT JOIN selling_rules hr ON hr.type_key = 0"""


def _layered(name: str) -> str:
    layers = ["v", "p"] if name in OF_GOODS else ["v", "p", "yr", "hr"]
    usual = _USUAL.get(name, "NULL" if name.endswith("_on") else "0")
    return f"COALESCE({', '.join(f'{layer}.{name}' for layer in layers)}, {usual})"


@dataclass(frozen=True)
class _Rules:
    """SQL of what holds for a variant: the rules by name, whether it is counted, and what is there of it to sell."""

    rule: Mapping[str, str]
    counted: str
    free: str

    @property
    def enough(self) -> str:
        return f"({self.free} > 0 AND {self.free} >= {self.rule['least_stock']})"

    def none(self, today: str) -> str:
        """Nothing sells, whatever is there."""
        coming = f"COALESCE({self.rule['coming_on']} > {today}, FALSE)"
        return f"({self.rule['sells']} = '{Switch.NEVER}' OR {coming})"

    @property
    def endless(self) -> str:
        return f"({self.rule['sells']} = '{Switch.ALWAYS}' OR NOT {self.counted})"

    def ready(self, today: str) -> str:
        return f"""CASE WHEN {self.none(today)} THEN 0 WHEN {self.endless} THEN NULL
                   ELSE IF({self.enough}, {self.free}, 0) END"""

    def most(self, today: str) -> str:
        ready = f"IF({self.enough}, {self.free}, 0)"
        return f"""CASE WHEN {self.none(today)} THEN 0 WHEN {self.endless} THEN NULL
                   ELSE CASE {self.rule["at_zero"]} WHEN '{AtZero.GO_ON}' THEN NULL
                   WHEN '{AtZero.LIMIT}' THEN GREATEST({self.free} + {self.rule["zero_limit"]}, {ready}, 0)
                   ELSE {ready} END END"""


_SAID = {name: _layered(name) for name in FIELDS}
_PLAIN = _Rules(
    _SAID,
    "COALESCE(sk.counted, FALSE)",
    f"(COALESCE(sk.on_hand, 0) - COALESCE(sk.reserved, 0) - {_SAID['held_back']})",
)
#: SQL of the day of the shop, as far as time has been played.
TODAY = "(SELECT COALESCE(MAX(day), UTC_DATE()) FROM shop_day)"


def _made(which: str) -> str:
    """A SELECT of kits by product_id with how many their parts make, as core.kits.makes says: ``ready`` at once and
    ``most`` with what can be ordered, NULL without end."""
    gone = f"(v.id IS NULL OR v.archived OR p.status = '{Status.ARCHIVED}')"
    each = {
        name: f"IF({gone}, 0, GREATEST({sql} DIV kp.quantity, 0))"
        for name, sql in (("ready", _PLAIN.ready(TODAY)), ("most", _PLAIN.most(TODAY)))
    }
    best = ", ".join(f"IF(SUM(({sql}) IS NULL), NULL, MAX({sql})) AS {name}" for name, sql in each.items())
    return f"""SELECT slot.product_id, MIN(slot.ready) AS ready, MIN(slot.most) AS most
               FROM (SELECT kp.product_id, {best}
                     FROM kit_part kp LEFT JOIN variant v ON v.id = kp.variant_id
                     LEFT JOIN product p ON p.id = v.product_id {_THERE} WHERE {which}
                     GROUP BY kp.product_id, kp.pick, IF(kp.pick = '', kp.id, 0)) slot GROUP BY slot.product_id"""


#: To be put behind a variant ``v`` of a product ``p``: what is there, the rules of its type and of the shop, and of a
#: kit how many its parts make.
JOINS = f"{_THERE} LEFT JOIN ({_made('TRUE')}) km ON km.product_id = p.id"
_IS_KIT = "(km.product_id IS NOT NULL)"
RULE = _SAID | {
    "sells": f"IF({_IS_KIT} AND {_SAID['sells']} = '{Switch.ALWAYS}', '{Switch.BY_STOCK}', {_SAID['sells']})",
    "at_zero": f"""(CASE WHEN NOT {_IS_KIT} THEN {_SAID["at_zero"]} WHEN km.most IS NULL THEN '{AtZero.GO_ON}'
                    WHEN km.most > km.ready THEN '{AtZero.LIMIT}'
                    ELSE IF({_SAID["at_zero"]} = '{AtZero.HIDE}', '{AtZero.HIDE}', '{AtZero.STOP}') END)""",
    "zero_limit": f"IF({_IS_KIT}, COALESCE(km.most - km.ready, 0), {_SAID['zero_limit']})",
}
COUNTED = f"IF({_IS_KIT}, km.ready IS NOT NULL, {_PLAIN.counted})"
FREE = f"IF({_IS_KIT}, COALESCE(km.ready, 0) - {_SAID['held_back']}, {_PLAIN.free})"
_RULES = _Rules(RULE, COUNTED, FREE)


def made(tx: Tx, product_ids: Sequence[int]) -> dict[int, Makes]:
    """How many the parts of those of these products make that are kits."""
    if not product_ids or not tx.remembered("any kit", lambda: tx.value("SELECT 1 FROM kit_part LIMIT 1")):
        return {}
    rows = tx.rows(MakesRow, _made("kp.product_id IN %s"), [list(product_ids)])
    return {
        row["product_id"]: Makes(*(one if one is None else Decimal(one) for one in (row["ready"], row["most"])))
        for row in rows
    }


#: SQL over product p: what it costs follows from its parts.
PRICED_BY_PARTS = """EXISTS (SELECT 1 FROM kit y JOIN kit_part z ON z.product_id = y.product_id
    WHERE y.product_id = p.id AND y.priced_by = 'parts')"""


def priced_by_parts(tx: Tx, product_id: int) -> bool:
    """Whether what a product costs follows from its parts."""
    return bool(tx.value("SELECT 1 FROM kit WHERE product_id = %s AND priced_by = 'parts'", [product_id]))


@dataclass(frozen=True)
class SellsSql:
    """SQL of a variant ``v`` of ``p`` with JOINS. ``standing``: its word; ``ready`` and ``most``: NULL without end;
    ``hidden``: buyers do not see it; ``can_be_had``: a buyer can order any."""

    standing: str
    ready: str
    most: str
    hidden: str
    can_be_had: str


def sells(day: date | str) -> SellsSql:
    """SQL for a day of the shop, or for SQL of one."""
    today = f"'{day:%Y-%m-%d}'" if isinstance(day, date) else day
    off = f"{RULE['sells']} = '{Switch.NEVER}'"
    more = f"""({RULE["at_zero"]} = '{AtZero.GO_ON}'
                OR ({RULE["at_zero"]} = '{AtZero.LIMIT}' AND {FREE} + {RULE["zero_limit"]} > 0))"""
    standing = f"""CASE WHEN {off} THEN '{Standing.OFF}' WHEN {_RULES.none(today)} THEN '{Standing.COMING}'
                   WHEN {_RULES.endless} THEN '{Standing.UNCOUNTED}'
                   WHEN {_RULES.enough} THEN IF({FREE} < {RULE["low_stock"]}, '{Standing.LOW}', '{Standing.IN}')
                   WHEN {more} THEN '{Standing.LATER}' ELSE '{Standing.OUT}' END"""
    return SellsSql(
        standing,
        _RULES.ready(today),
        _RULES.most(today),
        f"({standing} = '{Standing.OUT}' AND {RULE['at_zero']} = '{AtZero.HIDE}')",
        f"({standing} NOT IN ('{Standing.OFF}', '{Standing.COMING}', '{Standing.OUT}'))",
    )


#: SQL of a variant that is reported: counted, sold by its stock, and below its threshold. Of a kit its parts are.
IS_LOW = f"(NOT {_IS_KIT} AND {COUNTED} AND {RULE['sells']} = '{Switch.BY_STOCK}' AND {FREE} < {RULE['low_stock']})"


def now(tx: Tx) -> SellsSql:
    """SQL for the day of the shop."""
    return sells(store.day(tx))
