CREATE TABLE IF NOT EXISTS channel (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  kind VARCHAR(24) CHARACTER SET ascii NOT NULL,
  name VARCHAR(80) NOT NULL,
  address VARCHAR(300) NOT NULL,
  secret VARCHAR(300) NOT NULL,
  terms LONGTEXT NULL,
  checked_at DATETIME(3) NULL,
  trouble VARCHAR(600) NOT NULL DEFAULT '',
  version INT UNSIGNED NOT NULL DEFAULT 1,
  UNIQUE KEY channel_name (name)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

CREATE TABLE IF NOT EXISTS channel_category (
  channel_id INT UNSIGNED NOT NULL,
  code VARCHAR(40) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  path VARCHAR(600) NOT NULL,
  is_end BOOL NOT NULL,
  PRIMARY KEY (channel_id, code),
  CONSTRAINT channel_category_of FOREIGN KEY (channel_id) REFERENCES channel (id) ON DELETE CASCADE
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

CREATE TABLE IF NOT EXISTS listing (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  channel_id INT UNSIGNED NOT NULL,
  product_id INT UNSIGNED NOT NULL,
  reference CHAR(32) CHARACTER SET ascii NOT NULL,
  category_code VARCHAR(40) CHARACTER SET ascii COLLATE ascii_bin NULL,
  title VARCHAR(255) NOT NULL DEFAULT '',
  state ENUM('sending','review','on_sale','refused','ending','ended','failed') NULL,
  sent_fingerprint CHAR(64) CHARACTER SET ascii NULL,
  stale BOOL NOT NULL DEFAULT FALSE,
  reasons LONGTEXT NULL,
  page_number VARCHAR(40) NOT NULL DEFAULT '',
  sent_at DATETIME(3) NULL,
  answered_at DATETIME(3) NULL,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  UNIQUE KEY listing_once (channel_id, product_id),
  UNIQUE KEY listing_reference (reference),
  KEY listing_product (product_id),
  KEY listing_state (channel_id, state, stale),
  CONSTRAINT listing_on_channel FOREIGN KEY (channel_id) REFERENCES channel (id),
  CONSTRAINT listing_of_product FOREIGN KEY (product_id) REFERENCES product (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
