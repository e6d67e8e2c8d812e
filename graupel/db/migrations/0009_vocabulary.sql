CREATE TABLE IF NOT EXISTS attribute (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  -- NULL: shared by all products; else the one product that it is private to. No foreign key: an attribute
  -- that was removed with its product is put back before the product.
  product_id INT UNSIGNED NULL,
  name VARCHAR(80) NOT NULL,
  kind ENUM('short_text','long_text','number','yes_no','date','one_choice','several_choices','colour') NOT NULL,
  family VARCHAR(12) CHARACTER SET ascii NULL,
  unit VARCHAR(8) NULL,
  help VARCHAR(200) NOT NULL DEFAULT '',
  version INT UNSIGNED NOT NULL DEFAULT 1,
  owner_key INT UNSIGNED AS (COALESCE(product_id, 0)) PERSISTENT,
  UNIQUE KEY attribute_name (owner_key, name),
  KEY attribute_product (product_id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

CREATE TABLE IF NOT EXISTS attribute_choice (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  attribute_id INT UNSIGNED NOT NULL,
  -- Labels differ by case and accents too: near-doubles are noticed, not forbidden.
  label VARCHAR(80) COLLATE utf8mb4_bin NOT NULL,
  code VARCHAR(12) CHARACTER SET ascii NOT NULL,
  swatch CHAR(7) CHARACTER SET ascii NULL,
  swatch_media_id INT UNSIGNED NULL,
  position INT UNSIGNED NOT NULL,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  UNIQUE KEY attribute_choice_label (attribute_id, label),
  UNIQUE KEY attribute_choice_code (attribute_id, code),
  CONSTRAINT attribute_choice_of FOREIGN KEY (attribute_id) REFERENCES attribute (id),
  CONSTRAINT attribute_choice_swatch FOREIGN KEY (swatch_media_id) REFERENCES media (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

CREATE TABLE IF NOT EXISTS product_type (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name VARCHAR(80) NOT NULL,
  code_prefix VARCHAR(12) CHARACTER SET ascii NOT NULL DEFAULT '',
  next_number INT UNSIGNED NOT NULL DEFAULT 1,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  UNIQUE KEY product_type_name (name)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

CREATE TABLE IF NOT EXISTS type_attribute (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  type_id INT UNSIGNED NOT NULL,
  attribute_id INT UNSIGNED NOT NULL,
  group_name VARCHAR(60) NOT NULL DEFAULT '',
  position INT UNSIGNED NOT NULL,
  need ENUM('no','always','when') NOT NULL DEFAULT 'no',
  when_attribute_id INT UNSIGNED NULL,
  when_choice_id INT UNSIGNED NULL,
  may_differ BOOL NOT NULL DEFAULT FALSE,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  UNIQUE KEY type_attribute_once (type_id, attribute_id),
  CONSTRAINT type_attribute_of FOREIGN KEY (type_id) REFERENCES product_type (id),
  CONSTRAINT type_attribute_is FOREIGN KEY (attribute_id) REFERENCES attribute (id),
  CONSTRAINT type_attribute_when FOREIGN KEY (when_attribute_id) REFERENCES attribute (id),
  CONSTRAINT type_attribute_when_choice FOREIGN KEY (when_choice_id) REFERENCES attribute_choice (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

CREATE TABLE IF NOT EXISTS brand (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name VARCHAR(120) COLLATE utf8mb4_bin NOT NULL,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  UNIQUE KEY brand_name (name)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

CREATE TABLE IF NOT EXISTS tag (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name VARCHAR(60) COLLATE utf8mb4_bin NOT NULL,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  UNIQUE KEY tag_name (name)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

CREATE TABLE IF NOT EXISTS tagging (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  tag_id INT UNSIGNED NOT NULL,
  kind ENUM('product','category','brand','media') NOT NULL,
  record_id INT UNSIGNED NOT NULL,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  UNIQUE KEY tagging_once (tag_id, kind, record_id),
  KEY tagging_record (kind, record_id),
  CONSTRAINT tagging_of FOREIGN KEY (tag_id) REFERENCES tag (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
