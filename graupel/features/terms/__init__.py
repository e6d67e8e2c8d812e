"""Terms of sale: taxes, promotions, sales and prices by quantity, as products' prices are worked out with."""
