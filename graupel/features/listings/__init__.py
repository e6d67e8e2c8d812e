"""Channels, and what is listed on them."""
