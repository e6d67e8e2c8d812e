-- Prices of products are found by their summaries; variants of a product by their combinations.
ALTER TABLE variant DROP INDEX IF EXISTS variant_price, DROP INDEX IF EXISTS variant_product;
-- What is kept of the categories in memory is held against their versions' sum.
ALTER TABLE category ADD INDEX IF NOT EXISTS category_version (version);
