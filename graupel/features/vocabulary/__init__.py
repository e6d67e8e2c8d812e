"""The words that goods are described with: attributes and their choices, product types, brands, tags."""
