"""Stock: what is there and where, what is below its threshold, moves, counts, and how goods are sold."""
