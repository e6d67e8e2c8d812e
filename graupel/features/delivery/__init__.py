"""Delivery and tax: what is added to a price, and how goods arrive."""
