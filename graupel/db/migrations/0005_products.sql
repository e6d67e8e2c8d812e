CREATE TABLE IF NOT EXISTS product (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  status ENUM('draft','live','archived') NOT NULL DEFAULT 'draft',
  category_id INT UNSIGNED NULL,
  brand VARCHAR(120) NOT NULL DEFAULT '',
  mpn VARCHAR(70) NOT NULL DEFAULT '',
  was_live BOOL NOT NULL DEFAULT FALSE,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  made_at DATETIME(3) NOT NULL,
  changed_at DATETIME(3) NOT NULL,
  -- The batch that made it, and its row there: how a set of new rows finds the ids it was given.
  batch_id BIGINT UNSIGNED NULL,
  batch_line INT UNSIGNED NULL,
  KEY product_changed (changed_at, id),
  KEY product_status (status, changed_at, id),
  KEY product_category (category_id, status, changed_at, id),
  KEY product_batch (batch_id, batch_line),
  CONSTRAINT product_in_category FOREIGN KEY (category_id) REFERENCES category (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

CREATE TABLE IF NOT EXISTS product_text (
  product_id INT UNSIGNED NOT NULL,
  lang VARCHAR(12) CHARACTER SET ascii NOT NULL,
  name VARCHAR(255) NOT NULL,
  description MEDIUMTEXT NOT NULL DEFAULT '',
  PRIMARY KEY (product_id, lang),
  KEY product_text_name (lang, name, product_id),
  FULLTEXT KEY product_text_search (name),
  CONSTRAINT product_text_of FOREIGN KEY (product_id) REFERENCES product (id) ON DELETE CASCADE
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

CREATE TABLE IF NOT EXISTS variant (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  product_id INT UNSIGNED NOT NULL,
  sku VARCHAR(64) CHARACTER SET ascii COLLATE ascii_general_ci NOT NULL,
  price DECIMAL(12,2) NULL,
  weight_g INT UNSIGNED NULL,
  gtin VARCHAR(14) CHARACTER SET ascii NULL,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  UNIQUE KEY variant_sku (sku),
  KEY variant_product (product_id, id),
  KEY variant_price (price, product_id),
  KEY variant_gtin (gtin),
  CONSTRAINT variant_of_product FOREIGN KEY (product_id) REFERENCES product (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

-- A set of rows on its way into the catalogue: what each says, and what it would do.
CREATE TABLE IF NOT EXISTS batch_row (
  batch_id BIGINT UNSIGNED NOT NULL,
  line INT UNSIGNED NOT NULL,
  sku VARCHAR(64) CHARACTER SET ascii COLLATE ascii_general_ci NULL,
  shown_sku VARCHAR(64) NOT NULL,
  name VARCHAR(255) COLLATE utf8mb4_unicode_ci NULL,
  price DECIMAL(12,2) NULL,
  weight_g INT UNSIGNED NULL,
  category VARCHAR(1000) NULL,
  description MEDIUMTEXT NULL,
  problems TEXT NULL,
  action ENUM('new','changed','unchanged','refused') NULL,
  category_id INT UNSIGNED NULL,
  product_id INT UNSIGNED NULL,
  product_version INT UNSIGNED NULL,
  variant_id INT UNSIGNED NULL,
  variant_version INT UNSIGNED NULL,
  PRIMARY KEY (batch_id, line),
  KEY batch_row_action (batch_id, action, line)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
