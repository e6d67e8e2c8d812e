"""The page of what runs in the background, what ended and what failed."""
