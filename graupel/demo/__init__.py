"""The demo shop, Skeinwright & Daughters: its goods, its pictures, and the command that runs it all."""
