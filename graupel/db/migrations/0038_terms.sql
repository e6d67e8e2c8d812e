-- What a destination makes of the catalogue's prices, and what it tells its buyers; '' is the catalogue and its own shop.
CREATE TABLE IF NOT EXISTS selling_terms (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  destination VARCHAR(12) CHARACTER SET ascii NOT NULL,
  -- units of the destination's currency for one of the catalogue's, and the day on which somebody wrote that down
  rate DECIMAL(18,8) NULL,
  rate_on DATE NULL,
  percent DECIMAL(9,2) NOT NULL DEFAULT 0,
  amount DECIMAL(12,2) NOT NULL DEFAULT 0,
  ending VARCHAR(16) CHARACTER SET ascii NOT NULL DEFAULT '',
  country CHAR(2) CHARACTER SET ascii NULL,
  tax_shown VARCHAR(8) CHARACTER SET ascii NOT NULL DEFAULT 'with',
  shows_lowest BOOL NOT NULL DEFAULT FALSE,
  -- said once, for the catalogue
  typed_with_tax BOOL NOT NULL DEFAULT TRUE,
  goods_class_id INT UNSIGNED NULL,
  delivery_class_id INT UNSIGNED NULL,
  jump_percent INT UNSIGNED NULL,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  UNIQUE KEY selling_terms_once (destination)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

CREATE TABLE IF NOT EXISTS tax_class (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name VARCHAR(120) COLLATE utf8mb4_unicode_ci NOT NULL,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  UNIQUE KEY tax_class_name (name)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

CREATE TABLE IF NOT EXISTS tax_rate (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  tax_class_id INT UNSIGNED NOT NULL,
  country CHAR(2) CHARACTER SET ascii NOT NULL,
  begins DATE NOT NULL,
  percent DECIMAL(7,4) NOT NULL DEFAULT 0,
  -- a fixed charge a piece, in the catalogue's currency
  amount DECIMAL(12,2) NOT NULL DEFAULT 0,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  UNIQUE KEY tax_rate_once (tax_class_id, country, begins),
  CONSTRAINT tax_rate_of FOREIGN KEY (tax_class_id) REFERENCES tax_class (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

CREATE TABLE IF NOT EXISTS promotion (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  -- the id that destinations are told
  code VARCHAR(50) CHARACTER SET ascii COLLATE ascii_general_ci NOT NULL,
  name VARCHAR(120) NOT NULL,
  kind VARCHAR(12) CHARACTER SET ascii NOT NULL,
  begins DATETIME NOT NULL,
  ends DATETIME NULL,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  UNIQUE KEY promotion_code (code)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

CREATE TABLE IF NOT EXISTS sale (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  title VARCHAR(120) NOT NULL DEFAULT '',
  promotion_id INT UNSIGNED NULL,
  reach VARCHAR(8) CHARACTER SET ascii NOT NULL,
  destination VARCHAR(12) CHARACTER SET ascii NOT NULL DEFAULT '',
  takes_off VARCHAR(8) CHARACTER SET ascii NOT NULL,
  amount DECIMAL(12,2) NOT NULL,
  ends_so BOOL NOT NULL DEFAULT FALSE,
  joined BOOL NOT NULL DEFAULT FALSE,
  -- UTC; no end: until somebody ends it
  begins DATETIME NOT NULL,
  ends DATETIME NULL,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  KEY sale_begins (begins),
  KEY sale_ends (ends),
  KEY sale_promotion (promotion_id),
  CONSTRAINT sale_in FOREIGN KEY (promotion_id) REFERENCES promotion (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

-- For what a sale is: a product, one of its variants, or all of its variants with a choice.
CREATE TABLE IF NOT EXISTS sale_goods (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  sale_id INT UNSIGNED NOT NULL,
  product_id INT UNSIGNED NOT NULL,
  variant_id INT UNSIGNED NULL,
  choice_id INT UNSIGNED NULL,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  target INT UNSIGNED AS (COALESCE(variant_id, choice_id, 0)) PERSISTENT,
  UNIQUE KEY sale_goods_once (sale_id, product_id, target),
  KEY sale_goods_product (product_id, target, sale_id),
  KEY sale_goods_variant (variant_id),
  KEY sale_goods_choice (choice_id),
  CONSTRAINT sale_goods_of FOREIGN KEY (sale_id) REFERENCES sale (id),
  CONSTRAINT sale_goods_has FOREIGN KEY (product_id) REFERENCES product (id),
  CONSTRAINT sale_goods_has_variant FOREIGN KEY (variant_id) REFERENCES variant (id),
  CONSTRAINT sale_goods_has_choice FOREIGN KEY (choice_id) REFERENCES attribute_choice (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

-- From so many pieces on; variant_id NULL: of the whole product.
CREATE TABLE IF NOT EXISTS quantity_price (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  product_id INT UNSIGNED NOT NULL,
  variant_id INT UNSIGNED NULL,
  destination VARCHAR(12) CHARACTER SET ascii NOT NULL DEFAULT '',
  from_quantity INT UNSIGNED NOT NULL,
  takes_off VARCHAR(8) CHARACTER SET ascii NOT NULL,
  amount DECIMAL(12,2) NOT NULL,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  variant_key INT UNSIGNED AS (COALESCE(variant_id, 0)) PERSISTENT,
  UNIQUE KEY quantity_price_once (product_id, variant_key, destination, from_quantity),
  KEY quantity_price_variant (variant_id),
  CONSTRAINT quantity_price_of FOREIGN KEY (product_id) REFERENCES product (id),
  CONSTRAINT quantity_price_has FOREIGN KEY (variant_id) REFERENCES variant (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

-- What time did to sales: kept for the record, never put back.
CREATE TABLE IF NOT EXISTS sale_moment (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  sale_id INT UNSIGNED NOT NULL,
  what VARCHAR(8) CHARACTER SET ascii NOT NULL,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  KEY sale_moment_of (sale_id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

ALTER TABLE product
  ADD COLUMN IF NOT EXISTS tax_class_id INT UNSIGNED NULL,
  -- what a piece holds, such as 50 g, and by how much of it its price is told, such as 100 g
  ADD COLUMN IF NOT EXISTS contents VARCHAR(24) NULL,
  ADD COLUMN IF NOT EXISTS priced_per VARCHAR(24) NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS buyer_raises BOOL NOT NULL DEFAULT FALSE,
  ADD COLUMN IF NOT EXISTS suggested_price DECIMAL(12,2) NULL,
  ADD KEY IF NOT EXISTS product_tax_class (tax_class_id),
  ADD CONSTRAINT product_has_tax_class FOREIGN KEY IF NOT EXISTS (tax_class_id) REFERENCES tax_class (id);

ALTER TABLE variant ADD COLUMN IF NOT EXISTS contents VARCHAR(24) NULL;

ALTER TABLE batch_row ADD COLUMN IF NOT EXISTS contents VARCHAR(24) NULL;

-- Who plans or moves a sale is alone in it: of two that nothing sets apart the later one is refused.
INSERT IGNORE INTO held (name) VALUES ('sales');
