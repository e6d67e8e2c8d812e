"""The lowest price of the 30 days before a sale, worked out from what the journal has of a product's prices."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from decimal import Decimal
from typing import Any

from graupel.core.price_history import DAYS, Change, Typed, lowest, state_at, states
from graupel.core.resolve import OF_PRODUCT, OF_VARIANT, Level, ValuePlace, key_of, money_places, resolve
from graupel.core.terms import SellingTerms
from graupel.db import Tx
from graupel.features.pricing import store
from graupel.features.products.asking import Asking
from graupel.features.products.service import Variant

_EVERYWHERE = ""


def _changes(tx: Tx, asking: Asking, since: datetime) -> list[Change]:
    product, destination = asking.product, asking.lens.destination
    ids, begins = [one.id for one in product.variants], since.astimezone(UTC).replace(tzinfo=None)
    rows = store.price_changes(tx, product.id, ids, begins)
    if destination:
        rows += store.own_price_changes(tx, destination, product.id, ids, begins)
    return [
        Change(
            row["made_at"].replace(tzinfo=UTC),
            _key(row["record_kind"], row["record_id"], row["key"] or _EVERYWHERE),
            Decimal(row["was"]) if row["was"] else None,
        )
        for row in rows
    ]


def _key(kind: str, record_id: int, destination: str) -> str:
    return f"{kind} {record_id} {destination}"


def _now(asking: Asking, variant: Variant) -> Typed:
    """What is typed now, by key."""
    product, values, key = asking.product, asking.values, key_of(asking.lens, "price")
    found: dict[str, Decimal | None] = {
        _key("product", product.id, _EVERYWHERE): values.price if product.varies else None,
        _key("variant", variant.id, _EVERYWHERE): variant.price,
    }
    if asking.lens.destination:
        for kind, record_id, own in (("product", product.id, values.own), ("variant", variant.id, variant.own)):
            found[_key(kind, record_id, asking.lens.destination)] = Decimal(own[key]) if key in own else None
    return found


@dataclass(frozen=True)
class _Rules:
    """How prices followed from the catalogue's: by the terms of the destination and, of endings, of the catalogue."""

    here: SellingTerms
    catalogue: SellingTerms


def _rules(tx: Tx, asking: Asking, since: datetime) -> list[tuple[datetime, _Rules]]:
    """From when on which rules held, the earliest first; those of now undone back to a moment."""
    written, where = asking.written, asking.lens.destination
    now = _Rules(written.of(where), written.catalogue)
    by_id = {one.id: name for name, one in (("catalogue", now.catalogue), ("here", now.here)) if one.id}
    found: list[tuple[datetime, _Rules]] = []
    begins = since.astimezone(UTC).replace(tzinfo=None)
    for row in tx.remembered(("terms", *by_id, begins), lambda: store.terms_changes(tx, list(by_id), begins)):
        found.append((row["made_at"].replace(tzinfo=UTC), now))
        name = by_id[row["record_id"]]
        now = replace(now, **{name: _undone(getattr(now, name), row["was"])})
    return [(since, now), *reversed(found)]


def _undone(terms: SellingTerms, was: Mapping[str, Any] | None) -> SellingTerms:
    """Terms before a change that the journal has; ``was`` None: it made them."""
    if was is None:
        return SellingTerms(terms.destination, id=terms.id)
    numbers = {name: was[name] for name in ("rate", "percent", "amount") if name in was}
    before: dict[str, Any] = {name: None if value is None else Decimal(str(value)) for name, value in numbers.items()}
    if "ending" in was:
        before["ending"] = was["ending"] or ""
    return replace(terms, **before)


def _by(asking: Asking, rules: Sequence[tuple[datetime, _Rules]], at: datetime) -> Asking:
    """The asking as its rules were at a moment."""
    if len(rules) == 1:  # as they are now
        return asking
    then = [one for begins, one in rules if begins <= at][-1]
    rule = then.here.rule(asking.lens.currency or "", converted=asking.lens.currency is not None)
    return asking.with_rule(rule and replace(rule, decimals=asking.place.rule.decimals), then.catalogue.price_ending)


def _asked(asking: Asking, variant: Variant, typed: Typed, at: datetime) -> Decimal | None:
    """What was asked with these typed prices at a moment."""
    product, where = asking.product, asking.lens.destination
    held = {ValuePlace(Level.PRODUCT, one): typed.get(_key("product", product.id, one)) for one in {"", where}}
    if product.varies:
        held |= {ValuePlace(Level.VARIANT, one): typed.get(_key("variant", variant.id, one)) for one in {"", where}}
    else:  # its price stands with its only variant
        held[ValuePlace(Level.PRODUCT)] = typed.get(_key("variant", variant.id, _EVERYWHERE))
    levels = OF_VARIANT if product.varies else OF_PRODUCT
    found = asking.typed_as(resolve(held, money_places(asking.lens, levels)))
    return asking.quote_of(found, variant, at=at).asked if found else None


def lowest_before(tx: Tx, asking: Asking, variant: Variant, begins: datetime) -> Decimal | None:
    """The lowest of what was asked for a variant in the 30 days before ``begins``; None where it had no price."""
    since = begins - DAYS
    held = states(_now(asking, variant), _changes(tx, asking, since), since, begins)
    rules = _rules(tx, asking, since)
    edges = [at for one in asking.sales for at in (one.begins, one.ends) if at is not None]
    edges += [at for at, _ in rules]
    return lowest(held, edges, begins, lambda typed, at: _asked(_by(asking, rules, at), variant, typed, at))


def typed_in(
    tx: Tx, asking: Asking, reached: Sequence[Variant], since: datetime, until: datetime
) -> list[tuple[datetime, Decimal | None]]:
    """From when on which price held without sales, the lowest of some variants, from the beginning of a span on."""
    plain = replace(asking, sales=())
    changes = _changes(tx, asking, since)
    keys = {_key("variant", one.id, where) for one in reached for where in ("", asking.lens.destination)}
    keys |= {_key("product", asking.product.id, where) for where in ("", asking.lens.destination)}
    told = [one for one in changes if one.key in keys]
    rules = _rules(tx, asking, since)
    moved = {one.at for one in told} | {at for at, _ in rules}
    starts = [since, *sorted(at for at in moved if since < at < until)]
    found: list[tuple[datetime, Decimal | None]] = []
    by_variant = [(one, states(_now(asking, one), told, since, until)) for one in reached]
    for at in starts:
        then = _by(plain, rules, at)
        prices = [_asked(then, one, state_at(held, at), at) for one, held in by_variant]
        low = min((price for price in prices if price is not None), default=None)
        if not found or found[-1][1] != low:
            found.append((at, low))
    return found
