"""Clients of marketplaces: one protocol, one tree of errors."""

from graupel.channels.errors import ChannelDenied, ChannelMisbehaved, ChannelRefuses, ChannelUnreachable
from graupel.channels.protocol import Answer, ChannelClient, Terms, client_of

__all__ = [
    "Answer",
    "ChannelClient",
    "ChannelDenied",
    "ChannelMisbehaved",
    "ChannelRefuses",
    "ChannelUnreachable",
    "Terms",
    "client_of",
]
