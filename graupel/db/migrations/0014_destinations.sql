-- Destinations of the merchant's own, and what is written anew for a destination or a language.
CREATE TABLE IF NOT EXISTS shop (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  -- '': as in the settings of the installation; so for the first shop, which is the default one
  name VARCHAR(120) COLLATE utf8mb4_bin NOT NULL,
  address_part VARCHAR(60) CHARACTER SET ascii NOT NULL,
  -- codes with blanks between them, the shop's own first; '': the default language alone
  languages VARCHAR(200) CHARACTER SET ascii NOT NULL DEFAULT '',
  -- '': the catalogue's
  currency VARCHAR(3) CHARACTER SET ascii NOT NULL DEFAULT '',
  shows ENUM('all','some') NOT NULL DEFAULT 'all',
  conditions TEXT NOT NULL DEFAULT '',
  version INT UNSIGNED NOT NULL DEFAULT 1,
  UNIQUE KEY shop_name (name),
  UNIQUE KEY shop_address (address_part)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

INSERT IGNORE INTO shop (id, name, address_part) VALUES (1, '', '');

-- What a shop shows beside what its conditions say: single products, and categories with all below them.
CREATE TABLE IF NOT EXISTS shop_goods (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  shop_id INT UNSIGNED NOT NULL,
  kind ENUM('product','category') NOT NULL,
  record_id INT UNSIGNED NOT NULL,
  -- taken out, whatever else would put it in
  left_out BOOL NOT NULL DEFAULT FALSE,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  UNIQUE KEY shop_goods_once (shop_id, kind, record_id),
  CONSTRAINT shop_goods_of FOREIGN KEY (shop_id) REFERENCES shop (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

ALTER TABLE tree
  ADD COLUMN IF NOT EXISTS shop_id INT UNSIGNED NOT NULL DEFAULT 1,
  ADD CONSTRAINT tree_of_shop FOREIGN KEY IF NOT EXISTS (shop_id) REFERENCES shop (id);

ALTER TABLE tree
  DROP INDEX IF EXISTS tree_name,
  ADD UNIQUE KEY IF NOT EXISTS tree_name_in_shop (shop_id, name);

ALTER TABLE channel ADD COLUMN IF NOT EXISTS lang VARCHAR(12) CHARACTER SET ascii NOT NULL DEFAULT '';

-- One value for one destination ('' for all), one language ('' for the default one, and for what has no language).
-- Values of a record that was deleted stay: when History brings it back, they are there.
CREATE TABLE IF NOT EXISTS own_value (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  kind VARCHAR(20) CHARACTER SET ascii NOT NULL,
  record_id INT UNSIGNED NOT NULL,
  destination VARCHAR(12) CHARACTER SET ascii NOT NULL DEFAULT '',
  lang VARCHAR(12) CHARACTER SET ascii NOT NULL DEFAULT '',
  field VARCHAR(24) CHARACTER SET ascii NOT NULL,
  value MEDIUMTEXT NOT NULL,
  -- of a translation: the original as it was when this was written
  source MEDIUMTEXT COLLATE utf8mb4_bin NULL,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  UNIQUE KEY own_value_place (kind, record_id, destination, lang, field),
  KEY own_value_set (destination, lang, kind, field, record_id),
  FULLTEXT KEY own_value_search (value)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;
