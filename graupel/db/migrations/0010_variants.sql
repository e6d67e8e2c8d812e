ALTER TABLE product
  ADD COLUMN IF NOT EXISTS code VARCHAR(64) CHARACTER SET ascii COLLATE ascii_general_ci NULL AFTER id,
  ADD COLUMN IF NOT EXISTS type_id INT UNSIGNED NULL AFTER code,
  ADD COLUMN IF NOT EXISTS brand_id INT UNSIGNED NULL AFTER category_id,
  -- What variants inherit. A product that does not vary keeps these in its only variant.
  ADD COLUMN IF NOT EXISTS price DECIMAL(12,2) NULL,
  ADD COLUMN IF NOT EXISTS list_price DECIMAL(12,2) NULL,
  ADD COLUMN IF NOT EXISTS cost DECIMAL(12,2) NULL,
  ADD COLUMN IF NOT EXISTS weight_g INT UNSIGNED NULL,
  ADD COLUMN IF NOT EXISTS sells_without_stock BOOL NOT NULL DEFAULT FALSE,
  ADD COLUMN IF NOT EXISTS canonical VARCHAR(300) NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS sku_pattern VARCHAR(120) NOT NULL DEFAULT '',
  ADD UNIQUE KEY IF NOT EXISTS product_code (code),
  ADD KEY IF NOT EXISTS product_type (type_id),
  ADD KEY IF NOT EXISTS product_brand (brand_id),
  ADD CONSTRAINT product_has_type FOREIGN KEY IF NOT EXISTS (type_id) REFERENCES product_type (id),
  ADD CONSTRAINT product_has_brand FOREIGN KEY IF NOT EXISTS (brand_id) REFERENCES brand (id);

ALTER TABLE product
  ADD COLUMN IF NOT EXISTS brand VARCHAR(120) NOT NULL DEFAULT '';

INSERT IGNORE INTO brand (name) SELECT DISTINCT brand FROM product WHERE brand <> '';

UPDATE product p JOIN brand b ON b.name = p.brand SET p.brand_id = b.id WHERE p.brand_id IS NULL AND p.brand <> '';

ALTER TABLE product DROP COLUMN IF EXISTS brand;

ALTER TABLE product_text
  ADD COLUMN IF NOT EXISTS short_text VARCHAR(600) NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS key_points TEXT NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS address_part VARCHAR(120) NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS meta_title VARCHAR(200) NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS meta_description VARCHAR(400) NOT NULL DEFAULT '';

ALTER TABLE variant
  ADD COLUMN IF NOT EXISTS list_price DECIMAL(12,2) NULL AFTER price,
  ADD COLUMN IF NOT EXISTS cost DECIMAL(12,2) NULL AFTER list_price,
  ADD COLUMN IF NOT EXISTS sells_without_stock BOOL NULL,
  ADD COLUMN IF NOT EXISTS mpn VARCHAR(70) NOT NULL DEFAULT '',
  -- Pieces on hand; NULL: not counted.
  ADD COLUMN IF NOT EXISTS stock INT NULL,
  ADD COLUMN IF NOT EXISTS archived BOOL NOT NULL DEFAULT FALSE,
  -- The variant's choices in the order of the product's axes; NULL from the first axis that is not there.
  ADD COLUMN IF NOT EXISTS choice_1 INT UNSIGNED NULL,
  ADD COLUMN IF NOT EXISTS choice_2 INT UNSIGNED NULL,
  ADD COLUMN IF NOT EXISTS choice_3 INT UNSIGNED NULL,
  ADD COLUMN IF NOT EXISTS choice_4 INT UNSIGNED NULL,
  ADD COLUMN IF NOT EXISTS choice_5 INT UNSIGNED NULL;

ALTER TABLE variant
  ADD COLUMN IF NOT EXISTS combination VARCHAR(60) CHARACTER SET ascii
    AS (CONCAT_WS('.', choice_1, choice_2, choice_3, choice_4, choice_5)) PERSISTENT,
  ADD UNIQUE KEY IF NOT EXISTS variant_combination (product_id, combination),
  ADD CONSTRAINT variant_choice_1 FOREIGN KEY IF NOT EXISTS (choice_1) REFERENCES attribute_choice (id),
  ADD CONSTRAINT variant_choice_2 FOREIGN KEY IF NOT EXISTS (choice_2) REFERENCES attribute_choice (id),
  ADD CONSTRAINT variant_choice_3 FOREIGN KEY IF NOT EXISTS (choice_3) REFERENCES attribute_choice (id),
  ADD CONSTRAINT variant_choice_4 FOREIGN KEY IF NOT EXISTS (choice_4) REFERENCES attribute_choice (id),
  ADD CONSTRAINT variant_choice_5 FOREIGN KEY IF NOT EXISTS (choice_5) REFERENCES attribute_choice (id);

CREATE TABLE IF NOT EXISTS variant_text (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  variant_id INT UNSIGNED NOT NULL,
  lang VARCHAR(12) CHARACTER SET ascii NOT NULL,
  -- '' is inherited from the product
  name VARCHAR(255) NOT NULL DEFAULT '',
  short_text VARCHAR(600) NOT NULL DEFAULT '',
  version INT UNSIGNED NOT NULL DEFAULT 1,
  UNIQUE KEY variant_text_once (variant_id, lang),
  CONSTRAINT variant_text_of FOREIGN KEY (variant_id) REFERENCES variant (id) ON DELETE CASCADE
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

CREATE TABLE IF NOT EXISTS product_axis (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  product_id INT UNSIGNED NOT NULL,
  attribute_id INT UNSIGNED NOT NULL,
  position TINYINT UNSIGNED NOT NULL,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  UNIQUE KEY product_axis_once (product_id, attribute_id),
  CONSTRAINT product_axis_of FOREIGN KEY (product_id) REFERENCES product (id),
  CONSTRAINT product_axis_is FOREIGN KEY (attribute_id) REFERENCES attribute (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

CREATE TABLE IF NOT EXISTS product_category (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  product_id INT UNSIGNED NOT NULL,
  category_id INT UNSIGNED NOT NULL,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  UNIQUE KEY product_category_once (product_id, category_id),
  KEY product_category_goods (category_id, product_id),
  CONSTRAINT product_category_of FOREIGN KEY (product_id) REFERENCES product (id),
  CONSTRAINT product_category_in FOREIGN KEY (category_id) REFERENCES category (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

-- A typed value of a product: one row for each choice, else one row.
CREATE TABLE IF NOT EXISTS fact (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  product_id INT UNSIGNED NOT NULL,
  attribute_id INT UNSIGNED NOT NULL,
  choice_id INT UNSIGNED NULL,
  -- in the base unit of the attribute's family, and the unit in which it was written
  number DECIMAL(24,6) NULL,
  unit VARCHAR(8) NULL,
  text TEXT NULL,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  choice_key INT UNSIGNED AS (COALESCE(choice_id, 0)) PERSISTENT,
  UNIQUE KEY fact_once (product_id, attribute_id, choice_key),
  KEY fact_attribute (attribute_id, choice_id),
  CONSTRAINT fact_of FOREIGN KEY (product_id) REFERENCES product (id),
  CONSTRAINT fact_is FOREIGN KEY (attribute_id) REFERENCES attribute (id),
  CONSTRAINT fact_choice FOREIGN KEY (choice_id) REFERENCES attribute_choice (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

-- Every SKU that was ever given, and to which variant: it is never given to another.
CREATE TABLE IF NOT EXISTS given_sku (
  sku VARCHAR(64) CHARACTER SET ascii COLLATE ascii_general_ci NOT NULL PRIMARY KEY,
  variant_id INT UNSIGNED NOT NULL
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

INSERT IGNORE INTO given_sku (sku, variant_id) SELECT sku, id FROM variant;

-- What the table sorts and narrows by, worked out anew with each change of a product.
CREATE TABLE IF NOT EXISTS product_summary (
  product_id INT UNSIGNED NOT NULL PRIMARY KEY,
  variants INT UNSIGNED NOT NULL,
  sku VARCHAR(64) CHARACTER SET ascii COLLATE ascii_general_ci NOT NULL,
  price_low DECIMAL(12,2) NULL,
  price_high DECIMAL(12,2) NULL,
  stock INT NULL,
  lacks_gtin BOOL NOT NULL,
  lacks_picture BOOL NOT NULL,
  lacks_alt BOOL NOT NULL,
  lacks_description BOOL NOT NULL,
  KEY product_summary_sku (sku, product_id),
  KEY product_summary_price (price_low, product_id),
  KEY product_summary_stock (stock, product_id),
  CONSTRAINT product_summary_of FOREIGN KEY (product_id) REFERENCES product (id) ON DELETE CASCADE
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

INSERT IGNORE INTO product_summary
  (product_id, variants, sku, price_low, price_high, stock, lacks_gtin, lacks_picture, lacks_alt, lacks_description)
SELECT p.id, COUNT(v.id), MIN(v.sku), MIN(v.price), MAX(v.price), NULL, MAX(v.gtin IS NULL),
       NOT EXISTS (SELECT 1 FROM picture c WHERE c.product_id = p.id),
       EXISTS (SELECT 1 FROM picture c WHERE c.product_id = p.id AND c.alt = ''),
       NOT EXISTS (SELECT 1 FROM product_text t WHERE t.product_id = p.id AND t.description <> '')
FROM product p JOIN variant v ON v.product_id = p.id GROUP BY p.id;
