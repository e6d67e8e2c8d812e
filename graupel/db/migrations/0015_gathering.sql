-- Goods of categories and shops by conditions, their order, and how a category's page looks.
CREATE TABLE IF NOT EXISTS goods_condition (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  owner ENUM('category','shop') NOT NULL,
  owner_id INT UNSIGNED NOT NULL,
  position INT UNSIGNED NOT NULL,
  field VARCHAR(12) CHARACTER SET ascii NOT NULL,
  op VARCHAR(8) CHARACTER SET ascii NOT NULL,
  -- of the brand, tag, type or choice that is meant
  ref_id INT UNSIGNED NULL,
  value VARCHAR(120) NOT NULL DEFAULT '',
  version INT UNSIGNED NOT NULL DEFAULT 1,
  KEY goods_condition_owner (owner, owner_id, position),
  KEY goods_condition_ref (field, ref_id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

-- Follows from the conditions and the products; not journalled, worked out after each change set.
CREATE TABLE IF NOT EXISTS category_filled (
  category_id INT UNSIGNED NOT NULL,
  product_id INT UNSIGNED NOT NULL,
  PRIMARY KEY (category_id, product_id),
  KEY category_filled_product (product_id),
  CONSTRAINT category_filled_of FOREIGN KEY (category_id) REFERENCES category (id) ON DELETE CASCADE,
  CONSTRAINT category_filled_product FOREIGN KEY (product_id) REFERENCES product (id) ON DELETE CASCADE
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

-- Products that came into or left a category because its conditions changed, for whoever keeps facets in memory.
CREATE TABLE IF NOT EXISTS refilled (
  change_set_id BIGINT UNSIGNED NOT NULL,
  product_id INT UNSIGNED NOT NULL,
  PRIMARY KEY (change_set_id, product_id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

ALTER TABLE category
  ADD COLUMN IF NOT EXISTS layout ENUM('grid','banner','aside','lead') NOT NULL DEFAULT 'banner',
  ADD COLUMN IF NOT EXISTS sorted_by ENUM('newest','name','cheapest','dearest','stock','hand') NOT NULL DEFAULT 'newest',
  -- ids of products with blanks between them, where the order is by hand
  ADD COLUMN IF NOT EXISTS by_hand MEDIUMTEXT CHARACTER SET ascii NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS lead_product_id INT UNSIGNED NULL;

-- What the merchant's own attributes say of a category.
CREATE TABLE IF NOT EXISTS category_fact (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  category_id INT UNSIGNED NOT NULL,
  attribute_id INT UNSIGNED NOT NULL,
  choice_id INT UNSIGNED NULL,
  number DECIMAL(24,6) NULL,
  unit VARCHAR(8) NULL,
  text TEXT NULL,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  choice_key INT UNSIGNED AS (COALESCE(choice_id, 0)) PERSISTENT,
  UNIQUE KEY category_fact_once (category_id, attribute_id, choice_key),
  KEY category_fact_attribute (attribute_id, choice_id),
  CONSTRAINT category_fact_of FOREIGN KEY (category_id) REFERENCES category (id),
  CONSTRAINT category_fact_is FOREIGN KEY (attribute_id) REFERENCES attribute (id),
  CONSTRAINT category_fact_choice FOREIGN KEY (choice_id) REFERENCES attribute_choice (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
