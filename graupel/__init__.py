"""Graupel: build and maintain a store's product catalogue."""

__version__ = "0.1.0"
