"""What later areas hold of a product's variants: with it, a variant may be archived but not deleted."""

from collections.abc import Callable

from graupel.db import Tx

Holder = Callable[[Tx, int], set[int]]
_HOLDERS: list[Holder] = []


def register(holder: Holder) -> Holder:
    """Register a function that gives the ids of those variants of a product that its area holds."""
    if holder not in _HOLDERS:
        _HOLDERS.append(holder)
    return holder


def held_variants(tx: Tx, product_id: int) -> set[int]:
    """The ids of the variants of a product that any area holds."""
    return {variant_id for holder in _HOLDERS for variant_id in holder(tx, product_id)}
