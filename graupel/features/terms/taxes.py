"""Tax classes and their rates: made, changed, taken away."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date
from decimal import Decimal
from typing import Any

from graupel.context import Context
from graupel.core import countries, quantities
from graupel.core import terms as term_rules
from graupel.core.declarations.terms import TAX_CLASS, TAX_RATE
from graupel.core.errors import NotFound, Refused
from graupel.core.problems import Problem
from graupel.core.product_fields import one_line
from graupel.core.roles import Actor, Role
from graupel.core.showing import plural
from graupel.core.taxes import MOST_PERCENT
from graupel.db import DuplicateKey, Tx, declared
from graupel.db.rows import picked
from graupel.features.destinations import store as destination_store
from graupel.features.destinations import terms
from graupel.features.history import meeting
from graupel.features.history import service as history
from graupel.features.history.meeting import Marks
from graupel.features.terms import service, store
from graupel.features.terms.rows import TaxClassRow, TaxRateRow
from graupel.features.terms.service import Written

NAME_LENGTH = 120
MOST_RATES = 200


@dataclass(frozen=True)
class RateTyped:
    """A rate as it was read."""

    country: str
    begins: date
    percent: Decimal
    amount: Decimal

    @property
    def columns(self) -> dict[str, Any]:
        """As its table and the journal have it."""
        return {
            "country": self.country,
            "begins": self.begins.isoformat(),
            "percent": f"{self.percent:.4f}",
            "amount": self.amount,
        }


def read(ctx: Context, actor: Actor) -> Written:
    """The classes with their rates, and the terms of the catalogue."""
    actor.require(Role.VIEWER)
    return ctx.db.run(lambda tx: service.written(ctx, tx))


def _rates(rows: Sequence[Mapping[str, str]], currency: str) -> list[RateTyped]:
    """The rates of a class from what was typed, a row each; rows that hold nothing are left out.

    Raises Refused with a problem for each field that can't be read, named "percent-2".
    """
    found: list[RateTyped] = []
    problems: list[Problem] = []
    for place, row in enumerate(rows):
        if not any(row.get(name, "").strip() for name in ("country", "percent", "amount")):
            continue
        try:
            found.append(_rate(row, place, currency))
        except Refused as refusal:
            problems += refusal.problems
    seen: set[tuple[str, date]] = set()
    for place, one in enumerate(found):
        if (one.country, one.begins) in seen:
            what = f"{countries.name(one.country)} has two rates from {one.begins} on. Keep one of them."
            problems.append(Problem("tax.twice", what, f"country-{place}"))
        seen.add((one.country, one.begins))
    if len(found) > MOST_RATES:
        problems.append(Problem("tax.too_many", f"A class has at most {MOST_RATES} rates.", "name"))
    if problems:
        raise Refused(problems)
    return found


def _rate(row: Mapping[str, str], place: int, currency: str) -> RateTyped:
    problems: list[Problem] = []

    def read_one(name: str, reads: Any, nothing: Any) -> Any:
        text = row.get(name, "").strip()
        try:
            return reads(text) if text else nothing
        except Refused as refusal:
            problems.extend(replace(one, field=f"{name}-{place}") for one in refusal.problems)
            return nothing

    country = read_one("country", countries.parse, None)
    if country is None and not problems:
        problems.append(Problem("tax.country", "Say for which country the rate is.", f"country-{place}"))
    begins = read_one("begins", term_rules.day, date(2000, 1, 1))
    percent = read_one(
        "percent",
        lambda text: term_rules.number(text, "rate", least=Decimal(0), most=MOST_PERCENT, places=4),
        Decimal(0),
    )
    amount = read_one("amount", lambda text: quantities.parse_money(text, currency), Decimal(0))
    if problems:
        raise Refused(problems)
    return RateTyped(country or "", begins, percent, amount)


def save(
    ctx: Context,
    actor: Actor,
    class_id: int | None,
    name: str,
    rows: Sequence[Mapping[str, str]],
    marks: Marks = None,
) -> int:
    """Make a class, or write its name and rates; returns its id. The first class becomes that of goods and delivery.

    Raises Refused, Outdated, NotFound.
    """
    actor.require(Role.OWNER)
    name = one_line(name, NAME_LENGTH, "A name", "name")
    if not name:
        raise Refused.because("tax.name", "A tax class needs a name, such as Full rate.", "name")
    rates = _rates(rows, ctx.settings.currency)

    def work(tx: Tx) -> int:
        title = f"Tax class {'changed' if class_id else 'made'}: {name}"
        mine = {"name": name, "rates": _told(one.columns for one in rates)}
        both: Mapping[str, Any] = mine
        if class_id:
            _locked(tx, class_id)
            there = flat(tx, class_id)
            both = meeting.bring_together(tx, {"tax_class": [class_id]}, marks, mine, there, str.capitalize)
        with history.change_set(tx, actor, "tax.save", title) as recorder:
            kept = _save_class(tx, recorder, class_id, both["name"])
            # The rates count as one field: they are written where they are what this person wants of them.
            if both["rates"] == mine["rates"]:
                _save_rates(tx, recorder, kept, rates)
            if class_id is None and len(store.tax_classes(tx)) == 1:
                _becomes_usual(tx, recorder, kept)
        return kept

    try:
        kept: int = ctx.db.run(work)
    except DuplicateKey as double:
        raise Refused.because("tax.name", f"There is a tax class “{name}” already.", "name") from double
    return kept


def flat(tx: Tx, class_id: int) -> dict[str, Any]:
    """What a page shows of a class, as plain data."""
    rows = [_kept(row) for row in store.tax_rates(tx) if row["tax_class_id"] == class_id]
    row = store.tax_class(tx, class_id)
    return {"name": row["name"] if row else "", "rates": _told(rows)}


def _told(rows: Iterable[Mapping[str, Any]]) -> list[str]:
    return sorted(f"{one['country']} from {one['begins']}: {one['percent']} %, {one['amount']:.2f}" for one in rows)


def _save_class(tx: Tx, recorder: history.Recorder, class_id: int | None, name: str) -> int:
    if class_id is None:
        made = declared.insert(tx, TAX_CLASS, {"name": name})
        recorder.made("tax_class", made, {"name": name})
        return made
    row = _locked(tx, class_id)
    if recorder.changed("tax_class", class_id, {"name": row["name"]}, {"name": name}, row["version"] + 1):
        declared.update(tx, TAX_CLASS, class_id, {"name": name})
    return class_id


def _locked(tx: Tx, class_id: int) -> TaxClassRow:
    row = store.tax_class(tx, class_id, lock=True)
    if row is None:
        raise NotFound("This tax class is not there any more.")
    return row


def _kept(row: TaxRateRow) -> dict[str, Any]:
    return RateTyped(row["country"], row["begins"], row["percent"], row["amount"]).columns


def _save_rates(tx: Tx, recorder: history.Recorder, class_id: int, rates: Sequence[RateTyped]) -> None:
    there = {(row["country"], row["begins"]): row for row in store.tax_rates(tx) if row["tax_class_id"] == class_id}
    wanted = {(one.country, one.begins): one.columns for one in rates}
    for key in there.keys() - wanted.keys():
        row = there[key]
        gone = {"tax_class_id": class_id, **_kept(row)}
        recorder.removed("tax_rate", row["id"], gone, row["version"] + 1)
        declared.delete(tx, TAX_RATE, row["id"])
    for key, columns in wanted.items():
        values = {"tax_class_id": class_id, **columns}
        known = there.get(key)
        if known is None:
            recorder.made("tax_rate", declared.insert(tx, TAX_RATE, values), values)
        elif recorder.changed("tax_rate", known["id"], _kept(known), columns, known["version"] + 1):
            declared.update(tx, TAX_RATE, known["id"], columns)


def _becomes_usual(tx: Tx, recorder: history.Recorder, class_id: int) -> None:
    """The first class is that of goods and of delivery."""
    after = {"goods_class_id": class_id, "delivery_class_id": class_id}
    row = destination_store.terms(tx, "", lock=True)
    if row is None:
        values = term_columns() | after
        recorder.made("selling_terms", destination_store.insert_terms(tx, values), values)
    elif recorder.changed("selling_terms", row["id"], picked(row, after), after, row["version"] + 1):
        destination_store.update_terms(tx, row["id"], after)


def term_columns() -> dict[str, Any]:
    """The terms of the catalogue before anything is written."""
    return terms.columns(term_rules.SellingTerms())


def remove(ctx: Context, actor: Actor, class_id: int) -> None:
    """Take a class away that nothing has. Raises Refused, NotFound."""
    actor.require(Role.OWNER)

    def work(tx: Tx) -> None:
        row = _locked(tx, class_id)
        written = service.written(ctx, tx)
        used = store.products_with_class(tx, class_id)
        usual = class_id in (written.catalogue.goods_class_id, written.catalogue.delivery_class_id)
        if used or (usual and len(written.classes) > 1):
            what = f"{plural(used, 'product')} {'has' if used == 1 else 'have'} it" if used else "it is the usual one"
            raise Refused.because("tax.used", f"“{row['name']}” can’t go: {what}. Give them another one first.", "name")
        with history.change_set(tx, actor, "tax.remove", f"Tax class taken away: {row['name']}") as recorder:
            _save_rates(tx, recorder, class_id, ())
            _no_longer_usual(tx, recorder, class_id)
            recorder.removed("tax_class", class_id, {"name": row["name"]}, row["version"] + 1)
            declared.delete(tx, TAX_CLASS, class_id)

    ctx.db.run(work)


def _no_longer_usual(tx: Tx, recorder: history.Recorder, class_id: int) -> None:
    row = destination_store.terms(tx, "", lock=True)
    if row is None:
        return
    names = ("goods_class_id", "delivery_class_id")
    before = picked(row, names)
    after = {name: None if value == class_id else value for name, value in before.items()}
    if recorder.changed("selling_terms", row["id"], before, after, row["version"] + 1):
        destination_store.update_terms(tx, row["id"], after)
