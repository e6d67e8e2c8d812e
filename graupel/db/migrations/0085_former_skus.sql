-- What variants were called before, or those that are gone; what they are called stands with them alone.
CREATE TABLE IF NOT EXISTS former_sku (
  sku VARCHAR(64) CHARACTER SET ascii COLLATE ascii_general_ci NOT NULL PRIMARY KEY,
  variant_id INT UNSIGNED NOT NULL
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
INSERT IGNORE INTO former_sku (sku, variant_id)
  SELECT g.sku, g.variant_id FROM given_sku g LEFT JOIN variant v ON v.sku = g.sku
  WHERE v.id IS NULL OR v.id <> g.variant_id;
