"""Prices planned and looked at: sales, promotions, quantity prices, and what is worth a look."""
