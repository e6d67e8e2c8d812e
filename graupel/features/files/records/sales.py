"""Sale prices as rows of a file: what goods cost for a time, at one destination or everywhere.

Rows that say the same of goods are one sale. A row is for a variant, a product, those of its variants that have a
choice, or all goods.
"""

from collections.abc import Callable, Collection, Iterator, Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any

from graupel.context import Context
from graupel.core import moments, record_cells, record_columns, sale_plans
from graupel.core.errors import Refused
from graupel.core.problems import Problem
from graupel.core.record_files import RowsAre
from graupel.core.sales import Reach, Sale
from graupel.db import Tx
from graupel.features.files.records.clerks import Held, Said
from graupel.features.history import service as history
from graupel.features.pricing import selling, single_goods
from graupel.features.pricing.single_goods import EVERYTHING, Target
from graupel.features.products.batch import lists as batch_lists


@dataclass
class _Standing:
    """A sale that is on or to come. ``targets``: what it is for still."""

    sale: Sale
    targets: set[Target]


#: What a row is for.
_Meant = tuple[Reach, Target]


class SaleClerk:
    """The sales that are on, or to come."""

    def __init__(self, ctx: Context, tx: Tx, langs: Sequence[str]) -> None:
        self.columns = record_columns.columns_of(RowsAre.SALE, langs)
        self._ctx, self._tx = ctx, tx
        self._place = selling.place_of(ctx, tx)
        self._now = ctx.now(tx).replace(microsecond=0)
        self._codes = {name.casefold(): code for code, name in self._place.destinations.items() if code}
        self._promotions = single_goods.promotion_codes(tx)
        self._goods: dict[tuple[str, str], _Meant | Problem] = {}
        self._sales: dict[int, _Standing] = {}
        self._of: dict[tuple[_Meant, str], list[_Standing]] = {}
        #: By id the sales that are changed as a whole: as they were, and as they are to be.
        self._whole: dict[int, tuple[Sale, Sale]] = {}
        #: By what they say the sales that this file made, which more goods can be put under.
        self._made: dict[tuple[object, ...], int] = {}
        for sale in single_goods.standing(tx, self._now):
            self._note(sale, sale.targets if sale.reach is not Reach.ALL else [EVERYTHING])

    def _note(self, sale: Sale, targets: Collection[Target]) -> None:
        one = self._sales.setdefault(sale.id, _Standing(sale, set()))
        one.targets.update(targets)
        for target in targets:
            self._of.setdefault(((sale.reach, target), sale.destination), []).append(one)

    def named(self, said: Said) -> str:
        """The goods, and where."""
        goods = f"{said['goods']}, {said['choice']}" if said.get("choice") else said["goods"]
        return f"{goods} at {said['at']}" if said.get("at") else goods

    def understood(self, said: Said) -> Said:
        """With where it holds as that is called, and its price as that is written. Raises Refused where goods, or where
        it holds, are not there, or the price can't be read."""
        reach, (_, named) = self._meant(said)
        found = dict(said)
        if reach is Reach.CHOICE:
            found["choice"] = single_goods.choice_names(self._tx, [named])[named]
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

    def _meant(self, said: Said) -> _Meant:
        """What a row is for. Raises Refused where that is not there."""
        key = said["goods"].casefold(), said.get("choice", "").casefold()
        if key not in self._goods:
            self._goods[key] = self._looked_up(said["goods"], said.get("choice", ""))
        found = self._goods[key]
        if isinstance(found, Problem):
            raise Refused([found])
        return found

    def _looked_up(self, code: str, choice: str) -> _Meant | Problem:
        if code == record_cells.ALL_GOODS:
            what = "A choice is one of a product: name the product by its code."
            return Problem("sale.choice", what, "choice") if choice else (Reach.ALL, EVERYTHING)
        found = single_goods.goods_named(self._tx, code)
        if found is None:
            what = f"Nothing has the SKU or product code “{code[:60]}”. For all goods write “{record_cells.ALL_GOODS}”."
            return Problem("sale.goods", what, "goods")
        product, variant = found
        if not choice:
            return (Reach.VARIANT if variant else Reach.PRODUCT), found
        name, _, label = choice.partition(" = ")
        is_product = batch_lists.codes_of(self._tx, {product}).get(product, "").casefold() == code.casefold()
        chosen = single_goods.choice_named(self._tx, product, name, label) if is_product else None
        if chosen is None:
            what = f"No variants of {code} have {choice[:60]}. Name a product by its code, and what its variants have."
            return Problem("sale.choice", what, "choice")
        return Reach.CHOICE, (product, chosen)

    def held(self, said: Said) -> Held | None:
        """The sale that a row means: the one that begins when it says, without that the one that is on."""
        found = self._standing(said)
        if found is None:
            return None
        was, _ = self._whole.get(found.sale.id, (found.sale, None))
        return Held("sale", found.sale.id, self._values(was))

    def _standing(self, said: Said) -> _Standing | None:
        meant, where = self._meant(said), self._destination(said)
        for one in self._of.get((meant, where), ()):
            if meant[1] not in one.targets:
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
            there, (reach, target) = self._standing(row), self._meant(row)
            with suppress(Refused):
                if there:
                    said.setdefault(there.sale.id, {})[target] = self._wanted(there.sale, row, reach)
        for sale_id, wanted in said.items():
            one = self._sales[sale_id]
            if wanted.keys() >= one.targets and len(set(wanted.values())) == 1:
                self._whole[sale_id] = (one.sale, next(iter(wanted.values())))
        return []

    def write(self, recorder: history.Recorder, said: Said) -> Held:
        """Make goods cost what a row says. Raises Refused."""
        (reach, target), there = self._meant(said), self._standing(said)
        sale = self._wanted(there.sale if there else None, said, reach)
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
        alike = tuple(selling.columns(sale).values()) + (() if sale.reach is Reach.PRODUCT else (target[0],))
        sale_id = self._made.get(alike)
        made = single_goods.put_under(self._ctx, self._tx, recorder, sale, target, sale_id)
        self._made[alike] = made
        self._note(replace(sale, id=made), [target])
        return made

    def _wanted(self, there: Sale | None, said: Said, reach: Reach) -> Sale:
        """The sale as a row has it; what it does not say stays, or is as a new one begins. Raises Refused."""
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

    def end(self, recorder: history.Recorder) -> None:
        """Nothing is left to do."""

    def everything(self) -> Iterator[Said]:
        """All of them, a row for each of the goods."""
        for_goods = self._for_goods()
        for one in self._sales.values():
            at = self._place.destinations.get(one.sale.destination, "") if one.sale.destination else ""
            for target in sorted(one.targets):
                goods = for_goods((one.sale.reach, target))
                if goods["goods"]:
                    yield {**goods, "at": at, "begins": self._typed(one.sale.begins), **self._values(one.sale)}

    def _for_goods(self) -> Callable[[_Meant], Said]:
        """What says in a row what a sale is for; no goods where they have no code."""
        named = [(one.sale.reach, target) for one in self._sales.values() for target in one.targets]
        codes = batch_lists.codes_of(self._tx, {product for _, (product, _) in named})
        skus = single_goods.skus_of(self._tx, [one for reach, (_, one) in named if reach is Reach.VARIANT])
        choices = single_goods.choice_names(self._tx, [one for reach, (_, one) in named if reach is Reach.CHOICE])

        def said(meant: _Meant) -> Said:
            reach, (product, one) = meant
            if reach is Reach.ALL:
                return {"goods": record_cells.ALL_GOODS}
            if reach is Reach.VARIANT:
                return {"goods": skus.get(one, "")}
            return {"goods": codes.get(product, ""), "choice": choices.get(one, "")}

        return said
