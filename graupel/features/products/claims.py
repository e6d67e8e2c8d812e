"""What later areas need variants for: one that is claimed may be archived but not deleted."""

from collections.abc import Callable

from graupel.db import Tx

Claim = Callable[[Tx, int], set[int]]
_CLAIMS: list[Claim] = []


def register(claim: Claim) -> None:
    """Register a function that gives the ids of those variants of a product that its area needs."""
    if claim not in _CLAIMS:
        _CLAIMS.append(claim)


def claimed_variants(tx: Tx, product_id: int) -> set[int]:
    """The ids of the variants of a product that any area needs."""
    return {variant_id for claim in _CLAIMS for variant_id in claim(tx, product_id)}
