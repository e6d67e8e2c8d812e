"""Sale prices as rows of a file: what goods cost for a time, at one destination or everywhere.

Rows that say the same of goods are one sale. Sales for all goods, and those for a choice, neither come nor go so.
"""

from collections.abc import Collection, Iterator, Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any

from graupel.context import Context
from graupel.core import moments, record_columns, sale_plans
from graupel.core.errors import Refused
from graupel.core.problems import Problem
from graupel.core.record_files import RowsAre
from graupel.core.sales import Reach, Sale
from graupel.db import Tx
from graupel.features.files.records.clerks import Held, Said
from graupel.features.history import service as history
from graupel.features.pricing import selling, single_goods
from graupel.features.pricing.single_goods import Target
from graupel.features.products.batch import lists as batch_lists


@dataclass
class _Standing:
    """A sale that is on or to come. ``targets``: what it is for still."""

    sale: Sale
    targets: set[Target]


class SaleClerk:
    """The sales of products and of variants that are on, or to come."""

    def __init__(self, ctx: Context, tx: Tx, langs: Sequence[str]) -> None:
        self.columns = record_columns.columns_of(RowsAre.SALE, langs)
        self._ctx, self._tx = ctx, tx
        self._place = selling.place_of(ctx, tx)
        self._now = ctx.now(tx).replace(microsecond=0)
        self._codes = {name.casefold(): code for code, name in self._place.destinations.items() if code}
        self._promotions = single_goods.promotion_codes(tx)
        self._goods: dict[str, Target | None] = {}
        self._sales: dict[int, _Standing] = {}
        self._of: dict[tuple[Target, str], list[_Standing]] = {}
        #: By id the sales that are changed as a whole: as they were, and as they are to be.
        self._whole: dict[int, tuple[Sale, Sale]] = {}
        #: By what they say the sales that this file made, which more goods can be put under.
        self._made: dict[tuple[object, ...], int] = {}
        for sale in single_goods.standing(tx, self._now):
            if sale.reach in (Reach.PRODUCT, Reach.VARIANT):
                self._note(sale, sale.targets)

    def _note(self, sale: Sale, targets: Collection[Target]) -> None:
        one = self._sales.setdefault(sale.id, _Standing(sale, set()))
        one.targets.update(targets)
        for target in targets:
            self._of.setdefault((target, sale.destination), []).append(one)

    def named(self, said: Said) -> str:
        """The goods, and where."""
        return f"{said['goods']} at {said['at']}" if said.get("at") else said["goods"]

    def understood(self, said: Said) -> Said:
        """With where it holds as that is called, and its price as that is written. Raises Refused where goods, or where
        it holds, are not there, or the price can't be read."""
        if self._target(said["goods"]) is None:
            what = f"Nothing has the SKU or product code “{said['goods'][:60]}”."
            raise Refused([Problem("sale.goods", what, "goods")])
        found = dict(said)
        if said.get("at"):
            found["at"] = self._place.destinations[self._destination(said)]
        if said.get("price"):
            currency = self._place.currencies.get(self._destination(said), self._place.currency)
            found["price"] = sale_plans.typed_reduction(sale_plans.reduction(said["price"], currency))
        if said.get("promotion") and said["promotion"] not in self._promotions.values():
            what = f"There is no promotion with the id {said['promotion']}. Make it first, or leave the cell empty."
            raise Refused([Problem("sale.promotion", what, "promotion")])
        return found

    def _destination(self, said: Said) -> str:
        """The code of where it holds, "" for everywhere. Raises Refused."""
        if not said.get("at"):
            return ""
        code = self._codes.get(said["at"].casefold())
        if code is None and said["at"].casefold() == self._place.destinations.get("", "").casefold():
            return ""
        if code is None:
            known = ", ".join(name for key, name in self._place.destinations.items() if key)
            what = f"“{said['at'][:60]}” is no destination. Leave it empty for everywhere, or say one of: {known}."
            raise Refused([Problem("sale.destination", what, "at")])
        return code

    def _target(self, code: str) -> Target | None:
        key = code.casefold()
        if key not in self._goods:
            self._goods[key] = single_goods.goods_named(self._tx, code)
        return self._goods[key]

    def held(self, said: Said) -> Held | None:
        """The sale that a row means: the one that begins when it says, without that the one that is on."""
        found = self._standing(said)
        if found is None:
            return None
        was, _ = self._whole.get(found.sale.id, (found.sale, None))
        return Held("sale", found.sale.id, self._values(was))

    def _standing(self, said: Said) -> _Standing | None:
        target, where = self._target(said["goods"]), self._destination(said)
        for one in self._of.get((target, where), ()) if target else ():
            if target not in one.targets:
                continue
            begins = self._typed(one.sale.begins)
            if begins == said["begins"] if said.get("begins") else one.sale.holds(self._now):
                return one
        return None

    def _typed(self, moment: datetime | None) -> str:
        return moments.typed(moment, self._place.zone).replace("T", " ")

    def _values(self, sale: Sale) -> dict[str, str]:
        found = {"price": sale_plans.typed_reduction(sale.reduction), "ends": self._typed(sale.ends)}
        return found | {"title": sale.title, "promotion": self._promotions.get(sale.promotion_id or 0, "")}

    def in_order(self, rows: Sequence[Said]) -> list[int]:
        """As they stand."""
        return list(range(len(rows)))

    def begin(self, recorder: history.Recorder, rows: Sequence[Said]) -> list[str]:
        """Sales of which the rows say the same for all goods are changed as a whole."""
        said: dict[int, dict[Target, Sale]] = {}
        for row in rows:
            there, target = self._standing(row), self._target(row["goods"])
            with suppress(Refused):
                if there and target:
                    said.setdefault(there.sale.id, {})[target] = self._wanted(there.sale, row, target)
        for sale_id, wanted in said.items():
            one = self._sales[sale_id]
            if wanted.keys() >= one.targets and len(set(wanted.values())) == 1:
                self._whole[sale_id] = (one.sale, next(iter(wanted.values())))
        return []

    def write(self, recorder: history.Recorder, said: Said) -> Held:
        """Make goods cost what a row says. Raises Refused."""
        target, there = self._target(said["goods"]), self._standing(said)
        assert target is not None
        sale = self._wanted(there.sale if there else None, said, target)
        if there and (there.targets == {target} or there.sale.id in self._whole):
            single_goods.change(self._ctx, self._tx, recorder, there.sale, sale)
            there.sale = sale
            return Held("sale", sale.id, self._values(sale))
        if there:
            self._take_out(recorder, there, target)
        sale_id = self._put_under(recorder, sale, target)
        if there:  # remembered only now, for a row that is refused leaves its goods where they are
            there.targets.discard(target)
        return Held("sale", sale_id, self._values(sale))

    def _take_out(self, recorder: history.Recorder, there: _Standing, target: Target) -> None:
        if there.sale.begins <= self._now:
            what = (
                "The sale of these goods is on, and for others too: it stands in the record of prices. "
                "Change it for all of them, or end it first."
            )
            raise Refused([Problem("sale.on", what, "price")])
        single_goods.take_out(self._tx, recorder, there.sale, target)

    def _put_under(self, recorder: history.Recorder, sale: Sale, target: Target) -> int:
        alike = tuple(selling.columns(sale).values()) + ((target[0],) if sale.reach is Reach.VARIANT else ())
        sale_id = self._made.get(alike)
        made = single_goods.put_under(self._ctx, self._tx, recorder, sale, target, sale_id)
        self._made[alike] = made
        self._note(replace(sale, id=made), [target])
        return made

    def _wanted(self, there: Sale | None, said: Said, target: Target) -> Sale:
        """The sale as a row has it; what it does not say stays, or is as a new one begins. Raises Refused."""
        reach = Reach.VARIANT if target[1] else Reach.PRODUCT
        start = there or selling.new(self._now, reach)
        raw: dict[str, Any] = {"destination": self._destination(said)}
        raw |= {"amount": said["price"]} if "price" in said else {} if there else {"amount": ""}
        raw |= {name: said[name] for name in ("title", "ends") if name in said}
        if "promotion" in said:
            ids = {code: key for key, code in self._promotions.items()}
            raw["promotion"] = str(ids[said["promotion"]]) if said["promotion"] else ""
        if said.get("begins") and there is None:
            raw["begins"] = said["begins"]
        if there and there.reduction.ends_so:
            raw["ends_so"] = "yes"
        sale, problems = sale_plans.read(raw, replace(start, reach=reach), self._place)
        names = {"amount": "price", "destination": "at"}
        if problems:
            raise Refused([replace(one, field=names.get(one.field or "", one.field)) for one in problems])
        return sale

    def everything(self) -> Iterator[Said]:
        """All of them, a row for each of the goods."""
        products = {product for one in self._sales.values() for product, _ in one.targets}
        codes = batch_lists.codes_of(self._tx, products)
        skus = single_goods.skus_of(self._tx, [variant for one in self._sales.values() for _, variant in one.targets])
        for one in self._sales.values():
            at = self._place.destinations.get(one.sale.destination, "") if one.sale.destination else ""
            for product, variant in sorted(one.targets):
                goods = skus.get(variant) if variant else codes.get(product)
                if goods:
                    begins = self._typed(one.sale.begins)
                    yield {"goods": goods, "at": at, "begins": begins, **self._values(one.sale)}
