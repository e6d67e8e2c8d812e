"""Products with their one variant: the table, the editor, and sets of rows on their way in."""
