"""One search over everything: goods, words, files, changes, pages and what can be done."""
