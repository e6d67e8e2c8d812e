-- What buyers put into their baskets. A browser is known by a secret, of which only the hash is kept.
CREATE TABLE IF NOT EXISTS basket (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  secret_hash BINARY(32) NOT NULL,
  destination VARCHAR(12) CHARACTER SET ascii NOT NULL DEFAULT '',
  -- what the buyer typed of the address, as JSON
  typed TEXT NOT NULL,
  -- what was ordered from it last: an order that is sent twice is made once
  order_id INT UNSIGNED NULL,
  changed_at DATETIME(3) NOT NULL,
  UNIQUE KEY basket_known (secret_hash, destination),
  KEY basket_changed (changed_at)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

CREATE TABLE IF NOT EXISTS basket_line (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  basket_id INT UNSIGNED NOT NULL,
  variant_id INT UNSIGNED NOT NULL,
  name VARCHAR(300) NOT NULL DEFAULT '',
  quantity DECIMAL(12,2) NOT NULL,
  answers MEDIUMTEXT NOT NULL,
  pays DECIMAL(12,2) NULL,
  seen DECIMAL(12,2) NULL,
  KEY basket_line_of (basket_id),
  CONSTRAINT basket_line_in FOREIGN KEY (basket_id) REFERENCES basket (id) ON DELETE CASCADE
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

-- Files that buyers handed in with a choice.
CREATE TABLE IF NOT EXISTS buyer_file (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  kept_as CHAR(40) CHARACTER SET ascii NOT NULL,
  sha256 CHAR(64) CHARACTER SET ascii NOT NULL,
  name VARCHAR(200) NOT NULL,
  bytes BIGINT UNSIGNED NOT NULL,
  order_id INT UNSIGNED NULL,
  made_at DATETIME(3) NOT NULL,
  UNIQUE KEY buyer_file_known (kept_as),
  KEY buyer_file_order (order_id, made_at),
  KEY buyer_file_bytes (sha256)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

-- How an order stands, as its reports say; and whether it counts or was played through.
ALTER TABLE shop_order
  ADD COLUMN IF NOT EXISTS trial BOOLEAN NOT NULL DEFAULT FALSE,
  ADD COLUMN IF NOT EXISTS paid BOOLEAN NOT NULL DEFAULT FALSE,
  ADD COLUMN IF NOT EXISTS sent BOOLEAN NOT NULL DEFAULT FALSE,
  ADD COLUMN IF NOT EXISTS cancelled BOOLEAN NOT NULL DEFAULT FALSE,
  ADD COLUMN IF NOT EXISTS returned BOOLEAN NOT NULL DEFAULT FALSE,
  ADD KEY IF NOT EXISTS shop_order_stands (cancelled, paid, sent, id);

UPDATE shop_order o SET
  paid = EXISTS (SELECT 1 FROM order_report r WHERE r.order_id = o.id AND r.told = 'paid'),
  cancelled = EXISTS (SELECT 1 FROM order_report r WHERE r.order_id = o.id AND r.told = 'cancelled'
                      AND r.reported_lines = '{}'),
  returned = EXISTS (SELECT 1 FROM order_report r WHERE r.order_id = o.id AND r.told = 'returned');

ALTER TABLE order_report ADD COLUMN IF NOT EXISTS by_name VARCHAR(120) NOT NULL DEFAULT '';

-- What was ordered in the shop window, as it was then. The secret is a part of the address of the buyer's page.
CREATE TABLE IF NOT EXISTS placed_order (
  id INT UNSIGNED NOT NULL PRIMARY KEY,
  secret CHAR(32) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  lang VARCHAR(12) CHARACTER SET ascii NOT NULL,
  currency CHAR(3) CHARACTER SET ascii NOT NULL,
  mail VARCHAR(254) NOT NULL,
  name VARCHAR(120) NOT NULL,
  street VARCHAR(120) NOT NULL DEFAULT '',
  postcode VARCHAR(20) NOT NULL DEFAULT '',
  town VARCHAR(80) NOT NULL DEFAULT '',
  country CHAR(2) CHARACTER SET ascii NOT NULL DEFAULT '',
  note VARCHAR(1000) NOT NULL DEFAULT '',
  goods DECIMAL(14,2) NOT NULL,
  goods_net DECIMAL(14,2) NOT NULL,
  delivery DECIMAL(12,2) NOT NULL DEFAULT 0,
  delivery_net DECIMAL(12,2) NOT NULL DEFAULT 0,
  total DECIMAL(14,2) NOT NULL,
  ships BOOLEAN NOT NULL DEFAULT TRUE,
  taxes TEXT NOT NULL,
  first_day DATE NULL,
  last_day DATE NULL,
  pays_by VARCHAR(12) CHARACTER SET ascii NOT NULL,
  payment VARCHAR(12) CHARACTER SET ascii NOT NULL DEFAULT 'open',
  payment_tries INT UNSIGNED NOT NULL DEFAULT 0,
  payment_id VARCHAR(80) CHARACTER SET ascii NOT NULL DEFAULT '',
  look_at DATETIME(3) NULL,
  looks INT UNSIGNED NOT NULL DEFAULT 0,
  UNIQUE KEY placed_order_secret (secret),
  KEY placed_order_look (look_at),
  KEY placed_order_mail (mail),
  CONSTRAINT placed_order_is FOREIGN KEY (id) REFERENCES shop_order (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

CREATE TABLE IF NOT EXISTS placed_line (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  order_id INT UNSIGNED NOT NULL,
  position INT UNSIGNED NOT NULL,
  variant_id INT UNSIGNED NOT NULL,
  product_id INT UNSIGNED NOT NULL,
  -- of the variant, and as it was ordered, with the codes of what was chosen
  sku VARCHAR(64) CHARACTER SET ascii COLLATE ascii_general_ci NOT NULL,
  ordered_as VARCHAR(400) CHARACTER SET ascii NOT NULL,
  name VARCHAR(300) NOT NULL,
  variant VARCHAR(300) NOT NULL DEFAULT '',
  way VARCHAR(12) CHARACTER SET ascii NOT NULL,
  quantity DECIMAL(12,2) NOT NULL,
  unit VARCHAR(20) NOT NULL DEFAULT '',
  piece DECIMAL(12,2) NOT NULL,
  once DECIMAL(12,2) NOT NULL DEFAULT 0,
  amount DECIMAL(14,2) NOT NULL,
  net DECIMAL(14,2) NOT NULL,
  percent DECIMAL(7,4) NOT NULL DEFAULT 0,
  weight_g INT UNSIGNED NOT NULL DEFAULT 0,
  -- as JSON: label, what was said, what it added, a file
  chosen MEDIUMTEXT NOT NULL,
  KEY placed_line_of (order_id, position),
  CONSTRAINT placed_line_in FOREIGN KEY (order_id) REFERENCES shop_order (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

-- How orders go: said once.
CREATE TABLE IF NOT EXISTS order_rules (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  transfer BOOLEAN NOT NULL DEFAULT TRUE,
  transfer_to VARCHAR(500) NOT NULL DEFAULT '',
  mails VARCHAR(500) NOT NULL DEFAULT '',
  version INT UNSIGNED NOT NULL DEFAULT 1
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

INSERT IGNORE INTO order_rules (id) VALUES (1);
