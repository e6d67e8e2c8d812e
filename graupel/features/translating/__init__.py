"""Translating: source and target side by side, what is left, and out to translators and in again."""
