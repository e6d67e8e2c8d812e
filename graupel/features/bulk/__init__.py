"""One value given to many products at once: looked at first, then done whole, and rolled back from History."""
