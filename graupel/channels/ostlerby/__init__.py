"""Ostlerby, a market hall where sellers share one page for each article."""

from graupel.channels import marketplaces
from graupel.channels.ostlerby.kind import Ostlerby

__all__ = ["Ostlerby", "register"]


def register() -> None:
    """Make this kind of marketplace known."""
    marketplaces.register(Ostlerby())
