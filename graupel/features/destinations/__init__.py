"""Where the catalogue is shown for sale: the merchant's shops with their languages, and the lens."""
