-- Kits: products that are made of variants of others. A part need not be there any more: then the kit can't be had.
CREATE TABLE IF NOT EXISTS kit (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  product_id INT UNSIGNED NOT NULL,
  priced_by VARCHAR(8) CHARACTER SET ascii NOT NULL DEFAULT 'own',
  percent DECIMAL(5, 2) NOT NULL DEFAULT 0,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  UNIQUE KEY kit_product (product_id),
  CONSTRAINT kit_of FOREIGN KEY (product_id) REFERENCES product (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

CREATE TABLE IF NOT EXISTS kit_part (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  product_id INT UNSIGNED NOT NULL,
  variant_id INT UNSIGNED NOT NULL,
  quantity DECIMAL(9, 2) NOT NULL,
  pick VARCHAR(80) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NOT NULL DEFAULT '',
  position INT UNSIGNED NOT NULL DEFAULT 0,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  KEY kit_part_product (product_id, position),
  KEY kit_part_variant (variant_id),
  CONSTRAINT kit_part_of FOREIGN KEY (product_id) REFERENCES product (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

-- What was in a kit when it was ordered, as JSON.
ALTER TABLE placed_line ADD COLUMN IF NOT EXISTS parts TEXT NOT NULL DEFAULT '[]';

-- What a report takes of stock where kits were among its lines: their parts, as they were then. NULL: what it told.
ALTER TABLE order_report ADD COLUMN IF NOT EXISTS stock_lines TEXT NULL;
