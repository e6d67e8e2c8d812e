-- What buyers choose while ordering: reusable, or private to one product. Closed weekdays are digits, 0 for Monday.
CREATE TABLE IF NOT EXISTS buyer_choice (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  product_id INT UNSIGNED NULL,
  name VARCHAR(80) COLLATE utf8mb4_unicode_ci NOT NULL,
  label VARCHAR(120) NOT NULL DEFAULT '',
  kind VARCHAR(12) CHARACTER SET ascii NOT NULL DEFAULT 'one',
  looks VARCHAR(12) CHARACTER SET ascii NOT NULL DEFAULT 'list',
  help VARCHAR(300) NOT NULL DEFAULT '',
  needed BOOLEAN NOT NULL DEFAULT FALSE,
  message VARCHAR(200) NOT NULL DEFAULT '',
  default_text VARCHAR(2000) NOT NULL DEFAULT '',
  least DECIMAL(15,4) NULL,
  most DECIMAL(15,4) NULL,
  places TINYINT UNSIGNED NOT NULL DEFAULT 0,
  first_day DATE NULL,
  last_day DATE NULL,
  ahead_days INT UNSIGNED NULL,
  within_days INT UNSIGNED NULL,
  closed_weekdays VARCHAR(7) CHARACTER SET ascii NOT NULL DEFAULT '',
  closed_days VARCHAR(2000) CHARACTER SET ascii NOT NULL DEFAULT '',
  file_kinds VARCHAR(200) CHARACTER SET ascii NOT NULL DEFAULT '',
  megabytes INT UNSIGNED NULL,
  when_choice_id INT UNSIGNED NULL,
  when_entry_id INT UNSIGNED NULL,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  shared_name VARCHAR(80) COLLATE utf8mb4_unicode_ci AS (IF(product_id IS NULL, name, NULL)) PERSISTENT,
  UNIQUE KEY buyer_choice_name (shared_name),
  KEY buyer_choice_of (product_id),
  KEY buyer_choice_when (when_choice_id),
  KEY buyer_choice_when_entry (when_entry_id),
  CONSTRAINT buyer_choice_private FOREIGN KEY (product_id) REFERENCES product (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

CREATE TABLE IF NOT EXISTS choice_entry (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  buyer_choice_id INT UNSIGNED NOT NULL,
  position INT UNSIGNED NOT NULL,
  label VARCHAR(120) NOT NULL DEFAULT '',
  adds_by VARCHAR(8) CHARACTER SET ascii NOT NULL DEFAULT '',
  amount DECIMAL(12,2) NOT NULL DEFAULT 0,
  once BOOLEAN NOT NULL DEFAULT FALSE,
  weight_g INT UNSIGNED NULL,
  sku_code VARCHAR(20) CHARACTER SET ascii NOT NULL DEFAULT '',
  unshipped BOOLEAN NOT NULL DEFAULT FALSE,
  sold_out BOOLEAN NOT NULL DEFAULT FALSE,
  is_default BOOLEAN NOT NULL DEFAULT FALSE,
  swatch VARCHAR(7) CHARACTER SET ascii NOT NULL DEFAULT '',
  media_id INT UNSIGNED NULL,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  KEY choice_entry_of (buyer_choice_id, position),
  KEY choice_entry_media (media_id),
  CONSTRAINT choice_entry_is FOREIGN KEY (buyer_choice_id) REFERENCES buyer_choice (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

-- Which choices are asked with which products, in their order.
CREATE TABLE IF NOT EXISTS choice_use (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  product_id INT UNSIGNED NOT NULL,
  buyer_choice_id INT UNSIGNED NOT NULL,
  position INT UNSIGNED NOT NULL DEFAULT 0,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  UNIQUE KEY choice_use_once (product_id, buyer_choice_id),
  KEY choice_use_of (buyer_choice_id),
  CONSTRAINT choice_use_product FOREIGN KEY (product_id) REFERENCES product (id),
  CONSTRAINT choice_use_choice FOREIGN KEY (buyer_choice_id) REFERENCES buyer_choice (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
