-- Delivery promises: for some countries so many days of work, a cost, free from an amount.
CREATE TABLE IF NOT EXISTS promise (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name VARCHAR(80) COLLATE utf8mb4_unicode_ci NOT NULL,
  cost_by VARCHAR(8) CHARACTER SET ascii NOT NULL DEFAULT 'weight',
  version INT UNSIGNED NOT NULL DEFAULT 1,
  UNIQUE KEY promise_name (name)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

CREATE TABLE IF NOT EXISTS promise_zone (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  promise_id INT UNSIGNED NOT NULL,
  position INT UNSIGNED NOT NULL,
  -- codes of countries with commas, and steps of a cost as they are typed
  countries VARCHAR(900) CHARACTER SET ascii NOT NULL,
  first_days INT UNSIGNED NOT NULL,
  last_days INT UNSIGNED NOT NULL,
  steps VARCHAR(500) NOT NULL DEFAULT '',
  free_from DECIMAL(12,2) NULL,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  KEY promise_zone_of (promise_id, position),
  CONSTRAINT promise_zone_is FOREIGN KEY (promise_id) REFERENCES promise (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

-- Which promise stands for what: for all goods (all NULL), a type, a category.
CREATE TABLE IF NOT EXISTS promise_for (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  promise_id INT UNSIGNED NOT NULL,
  type_id INT UNSIGNED NULL,
  category_id INT UNSIGNED NULL,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  target VARCHAR(24) CHARACTER SET ascii AS (CONCAT(COALESCE(type_id, 0), '.', COALESCE(category_id, 0))) PERSISTENT,
  UNIQUE KEY promise_for_once (target),
  KEY promise_for_promise (promise_id),
  KEY promise_for_type (type_id),
  KEY promise_for_category (category_id),
  CONSTRAINT promise_for_is FOREIGN KEY (promise_id) REFERENCES promise (id),
  CONSTRAINT promise_for_has_type FOREIGN KEY (type_id) REFERENCES product_type (id),
  CONSTRAINT promise_for_has_category FOREIGN KEY (category_id) REFERENCES category (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

-- What delivery of single goods costs in a country, and countries to which they may not go (amount NULL).
CREATE TABLE IF NOT EXISTS own_carriage (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  product_id INT UNSIGNED NOT NULL,
  country CHAR(2) CHARACTER SET ascii NOT NULL,
  amount DECIMAL(12,2) NULL,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  UNIQUE KEY own_carriage_once (product_id, country),
  CONSTRAINT own_carriage_of FOREIGN KEY (product_id) REFERENCES product (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

-- When the shop works: digits of weekdays, 0 for Monday.
CREATE TABLE IF NOT EXISTS working (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  days VARCHAR(7) CHARACTER SET ascii NOT NULL DEFAULT '01234',
  cut_off TIME NOT NULL DEFAULT '14:00:00',
  closed VARCHAR(2000) CHARACTER SET ascii NOT NULL DEFAULT '',
  version INT UNSIGNED NOT NULL DEFAULT 1
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

INSERT IGNORE INTO working (id) VALUES (1);

ALTER TABLE product
  -- shipped, downloaded, service; '' is shipped
  ADD COLUMN IF NOT EXISTS delivered VARCHAR(12) CHARACTER SET ascii NOT NULL DEFAULT '',
  -- no key: it would be paid for with every row that is brought in, and a promise that is gone counts as none
  ADD COLUMN IF NOT EXISTS promise_id INT UNSIGNED NULL,
  ADD COLUMN IF NOT EXISTS packed_size VARCHAR(20) CHARACTER SET ascii NULL,
  ADD COLUMN IF NOT EXISTS customs_code VARCHAR(10) CHARACTER SET ascii NULL,
  ADD COLUMN IF NOT EXISTS customs_value DECIMAL(12,2) NULL;

ALTER TABLE variant
  ADD COLUMN IF NOT EXISTS packed_size VARCHAR(20) CHARACTER SET ascii NULL,
  ADD COLUMN IF NOT EXISTS customs_code VARCHAR(10) CHARACTER SET ascii NULL;
