-- Names are searched by the words that each process keeps in memory (core/words.py).
ALTER TABLE product_text DROP INDEX IF EXISTS product_text_search;
