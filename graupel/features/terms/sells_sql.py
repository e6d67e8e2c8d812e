"""What sells, by sets in SQL. core.availability says the same of one; a test holds the two against each other."""

from dataclasses import dataclass
from datetime import date

from graupel.core.availability import FIELDS, LOW_STOCK, OF_GOODS, AtZero, Standing, Switch
from graupel.db import Tx
from graupel.features.terms import stock_store as store

#: What holds where nobody says anything.
_USUAL = {"sells": f"'{Switch.BY_STOCK}'", "at_zero": f"'{AtZero.STOP}'", "low_stock": f"{LOW_STOCK}"}
#: To be put behind a variant ``v`` of a product ``p``: what is there, and the rules of its type and of the shop.
JOINS = """LEFT JOIN stock sk ON sk.id = v.id LEFT JOIN selling_rules yr ON yr.type_key = p.type_id
           LEFT JOIN selling_rules hr ON hr.type_key = 0"""


def _layered(name: str) -> str:
    layers = ["v", "p"] if name in OF_GOODS else ["v", "p", "yr", "hr"]
    usual = _USUAL.get(name, "NULL" if name.endswith("_on") else "0")
    return f"COALESCE({', '.join(f'{layer}.{name}' for layer in layers)}, {usual})"


RULE = {name: _layered(name) for name in FIELDS}
COUNTED = "COALESCE(sk.counted, FALSE)"
FREE = f"(COALESCE(sk.on_hand, 0) - COALESCE(sk.reserved, 0) - {RULE['held_back']})"
_ENOUGH = f"({FREE} > 0 AND {FREE} >= {RULE['least_stock']})"


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
    coming = f"COALESCE({RULE['coming_on']} > {today}, FALSE)"
    endless = f"({RULE['sells']} = '{Switch.ALWAYS}' OR NOT {COUNTED})"
    beyond = f"""CASE {RULE["at_zero"]} WHEN '{AtZero.GO_ON}' THEN NULL
                 WHEN '{AtZero.LIMIT}' THEN GREATEST({FREE} + {RULE["zero_limit"]}, IF({_ENOUGH}, {FREE}, 0), 0)
                 ELSE IF({_ENOUGH}, {FREE}, 0) END"""
    more = f"""({RULE["at_zero"]} = '{AtZero.GO_ON}'
                OR ({RULE["at_zero"]} = '{AtZero.LIMIT}' AND {FREE} + {RULE["zero_limit"]} > 0))"""
    standing = f"""CASE WHEN {off} THEN '{Standing.OFF}' WHEN {coming} THEN '{Standing.COMING}'
                   WHEN {endless} THEN '{Standing.UNCOUNTED}'
                   WHEN {_ENOUGH} THEN IF({FREE} < {RULE["low_stock"]}, '{Standing.LOW}', '{Standing.IN}')
                   WHEN {more} THEN '{Standing.LATER}' ELSE '{Standing.OUT}' END"""
    none = f"({off} OR {coming})"
    return SellsSql(
        standing,
        f"CASE WHEN {none} THEN 0 WHEN {endless} THEN NULL ELSE IF({_ENOUGH}, {FREE}, 0) END",
        f"CASE WHEN {none} THEN 0 WHEN {endless} THEN NULL ELSE {beyond} END",
        f"({standing} = '{Standing.OUT}' AND {RULE['at_zero']} = '{AtZero.HIDE}')",
        f"({standing} NOT IN ('{Standing.OFF}', '{Standing.COMING}', '{Standing.OUT}'))",
    )


#: SQL of the day of the shop, as far as time has been played.
TODAY = "(SELECT COALESCE(MAX(day), UTC_DATE()) FROM shop_day)"
#: SQL of a variant that is reported: counted, sold by its stock, and below its threshold.
IS_LOW = f"({COUNTED} AND {RULE['sells']} = '{Switch.BY_STOCK}' AND {FREE} < {RULE['low_stock']})"


def now(tx: Tx) -> SellsSql:
    """SQL for the day of the shop."""
    return sells(store.day(tx))
