-- Where goods lie; the first by position is used first, and where there is one only, nobody sees the word.
CREATE TABLE IF NOT EXISTS location (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name VARCHAR(120) COLLATE utf8mb4_unicode_ci NOT NULL,
  position INT UNSIGNED NOT NULL,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  UNIQUE KEY location_name (name)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

INSERT IGNORE INTO location (id, name, position) VALUES (1, 'Stock room', 1);

-- What is there of a variant, whose id it has; without a row, or not counted, it can always be had. Nothing here refers
-- to product or variant by a key: its check would make a sale wait for an import that writes them.
CREATE TABLE IF NOT EXISTS stock (
  id INT UNSIGNED NOT NULL PRIMARY KEY,
  product_id INT UNSIGNED NOT NULL,
  counted BOOL NOT NULL DEFAULT TRUE,
  on_hand DECIMAL(12,2) NOT NULL DEFAULT 0,
  reserved DECIMAL(12,2) NOT NULL DEFAULT 0,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  KEY stock_product (product_id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

CREATE TABLE IF NOT EXISTS stock_at (
  variant_id INT UNSIGNED NOT NULL,
  location_id INT UNSIGNED NOT NULL,
  on_hand DECIMAL(12,2) NOT NULL DEFAULT 0,
  PRIMARY KEY (variant_id, location_id),
  KEY stock_at_location (location_id, variant_id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

-- The record: by how much it changed, and why. Entries are added, never changed.
CREATE TABLE IF NOT EXISTS stock_entry (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  product_id INT UNSIGNED NOT NULL,
  variant_id INT UNSIGNED NOT NULL,
  location_id INT UNSIGNED NOT NULL,
  amount DECIMAL(12,2) NOT NULL,
  reason VARCHAR(12) CHARACTER SET ascii NOT NULL,
  order_id INT UNSIGNED NULL,
  change_set_id INT UNSIGNED NOT NULL,
  at DATETIME(3) NOT NULL,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  KEY stock_entry_variant (variant_id, location_id, at),
  KEY stock_entry_product (product_id),
  KEY stock_entry_set (change_set_id),
  KEY stock_entry_order (order_id, variant_id),
  KEY stock_entry_at (at)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

-- What the table sorts by: the sum of what is there of a product's variants for sale, NULL where none is counted.
CREATE TABLE IF NOT EXISTS product_stock (
  product_id INT UNSIGNED NOT NULL PRIMARY KEY,
  on_hand DECIMAL(12,2) NULL,
  KEY product_stock_on_hand (on_hand, product_id),
  CONSTRAINT product_stock_of FOREIGN KEY (product_id) REFERENCES product (id) ON DELETE CASCADE
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

-- How goods are sold: for the shop (type_id NULL), and otherwise for a type. NULL: as the shop's, or as is usual.
CREATE TABLE IF NOT EXISTS selling_rules (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  type_id INT UNSIGNED NULL,
  at_zero VARCHAR(12) CHARACTER SET ascii NULL,
  zero_limit DECIMAL(12,2) NULL,
  held_back DECIMAL(12,2) NULL,
  least_stock DECIMAL(12,2) NULL,
  low_stock DECIMAL(12,2) NULL,
  order_least DECIMAL(12,2) NULL,
  order_most DECIMAL(12,2) NULL,
  order_step DECIMAL(12,2) NULL,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  type_key INT UNSIGNED AS (COALESCE(type_id, 0)) PERSISTENT,
  UNIQUE KEY selling_rules_once (type_key),
  KEY selling_rules_type (type_id),
  CONSTRAINT selling_rules_of FOREIGN KEY (type_id) REFERENCES product_type (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

ALTER TABLE product
  ADD COLUMN IF NOT EXISTS sells VARCHAR(12) CHARACTER SET ascii NULL,
  ADD COLUMN IF NOT EXISTS at_zero VARCHAR(12) CHARACTER SET ascii NULL,
  ADD COLUMN IF NOT EXISTS zero_limit DECIMAL(12,2) NULL,
  ADD COLUMN IF NOT EXISTS held_back DECIMAL(12,2) NULL,
  ADD COLUMN IF NOT EXISTS least_stock DECIMAL(12,2) NULL,
  ADD COLUMN IF NOT EXISTS low_stock DECIMAL(12,2) NULL,
  ADD COLUMN IF NOT EXISTS back_on DATE NULL,
  ADD COLUMN IF NOT EXISTS coming_on DATE NULL,
  ADD COLUMN IF NOT EXISTS order_least DECIMAL(12,2) NULL,
  ADD COLUMN IF NOT EXISTS order_most DECIMAL(12,2) NULL,
  ADD COLUMN IF NOT EXISTS order_step DECIMAL(12,2) NULL,
  -- in what it is sold: "m"; '' for pieces
  ADD COLUMN IF NOT EXISTS sold_in VARCHAR(8) NOT NULL DEFAULT '';

ALTER TABLE variant
  ADD COLUMN IF NOT EXISTS sells VARCHAR(12) CHARACTER SET ascii NULL,
  ADD COLUMN IF NOT EXISTS at_zero VARCHAR(12) CHARACTER SET ascii NULL,
  ADD COLUMN IF NOT EXISTS zero_limit DECIMAL(12,2) NULL,
  ADD COLUMN IF NOT EXISTS held_back DECIMAL(12,2) NULL,
  ADD COLUMN IF NOT EXISTS least_stock DECIMAL(12,2) NULL,
  ADD COLUMN IF NOT EXISTS low_stock DECIMAL(12,2) NULL,
  ADD COLUMN IF NOT EXISTS back_on DATE NULL,
  ADD COLUMN IF NOT EXISTS coming_on DATE NULL,
  ADD COLUMN IF NOT EXISTS order_least DECIMAL(12,2) NULL,
  ADD COLUMN IF NOT EXISTS order_most DECIMAL(12,2) NULL,
  ADD COLUMN IF NOT EXISTS order_step DECIMAL(12,2) NULL;

-- They go at the end; where this is run again, they are there once more, and hold nothing.
ALTER TABLE product ADD COLUMN IF NOT EXISTS sells_without_stock BOOL NOT NULL DEFAULT FALSE;

ALTER TABLE variant
  ADD COLUMN IF NOT EXISTS sells_without_stock BOOL NULL,
  ADD COLUMN IF NOT EXISTS stock INT NULL;

-- The switch of selling without stock becomes what happens at zero; a product that does not vary says it in its variant.
UPDATE product SET at_zero = 'go_on' WHERE sells_without_stock;

UPDATE variant v JOIN product p ON p.id = v.product_id
SET v.at_zero = IF(COALESCE(v.sells_without_stock, p.sells_without_stock), 'go_on', 'stop')
WHERE v.sells_without_stock IS NOT NULL
   OR (p.sells_without_stock AND NOT EXISTS (SELECT 1 FROM product_axis x WHERE x.product_id = p.id));

UPDATE product p SET p.at_zero = NULL
WHERE NOT EXISTS (SELECT 1 FROM product_axis x WHERE x.product_id = p.id);

ALTER TABLE product DROP COLUMN IF EXISTS sells_without_stock;

ALTER TABLE variant DROP COLUMN IF EXISTS sells_without_stock;

-- What was typed so far stands in the record as counted.
INSERT IGNORE INTO stock (id, product_id, counted, on_hand)
SELECT id, product_id, TRUE, stock FROM variant WHERE stock IS NOT NULL;

INSERT IGNORE INTO stock_at (variant_id, location_id, on_hand)
SELECT id, 1, stock FROM variant WHERE stock IS NOT NULL;

INSERT INTO stock_entry (product_id, variant_id, location_id, amount, reason, change_set_id, at)
SELECT v.product_id, v.id, 1, v.stock, 'counted', 0, UTC_TIMESTAMP(3) FROM variant v
WHERE v.stock IS NOT NULL AND v.stock <> 0 AND NOT EXISTS (SELECT 1 FROM stock_entry e WHERE e.variant_id = v.id);

INSERT IGNORE INTO product_stock (product_id, on_hand)
SELECT p.id, (SELECT SUM(s.on_hand) FROM variant v JOIN stock s ON s.id = v.id
              WHERE v.product_id = p.id AND NOT v.archived)
FROM product p;

ALTER TABLE variant DROP COLUMN IF EXISTS stock;

ALTER TABLE product_summary DROP KEY IF EXISTS product_summary_stock;

ALTER TABLE product_summary DROP COLUMN IF EXISTS stock;

-- What time did to goods: that they are back, or not only announced any more.
CREATE TABLE IF NOT EXISTS shop_day (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  day DATE NOT NULL,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  UNIQUE KEY shop_day_once (day)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

-- Days on which any goods are back or begin to be sold. Few of them, and looked at often; an index of the days of all
-- goods would be paid for with every row that is brought in.
CREATE TABLE IF NOT EXISTS goods_day (day DATE NOT NULL PRIMARY KEY) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
