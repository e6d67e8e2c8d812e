"""Marketplaces: what each kind asks, the clients that speak to them, and one tree of errors."""

from graupel.channels.errors import ChannelDenied, ChannelMisbehaved, ChannelRefuses, ChannelUnreachable
from graupel.channels.marketplaces import Answer, ChannelClient, Marketplace, Terms, client_of, kind_of, kinds

__all__ = [
    "Answer",
    "ChannelClient",
    "ChannelDenied",
    "ChannelMisbehaved",
    "ChannelRefuses",
    "ChannelUnreachable",
    "Marketplace",
    "Terms",
    "client_of",
    "kind_of",
    "kinds",
]
