-- former_sku has what is needed of it.
DROP TABLE IF EXISTS given_sku;
