-- Orders as the real shop reports them, as far as stock needs them; an id of its own makes each report count once.
CREATE TABLE IF NOT EXISTS shop_order (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  destination VARCHAR(12) CHARACTER SET ascii NOT NULL DEFAULT '',
  code VARCHAR(80) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NOT NULL,
  made_at DATETIME(3) NOT NULL,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  UNIQUE KEY shop_order_once (destination, code)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

CREATE TABLE IF NOT EXISTS order_line (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  order_id INT UNSIGNED NOT NULL,
  sku VARCHAR(64) CHARACTER SET ascii COLLATE ascii_general_ci NOT NULL,
  variant_id INT UNSIGNED NULL,
  product_id INT UNSIGNED NULL,
  -- what the order did to stock so far
  reserved DECIMAL(12,2) NOT NULL DEFAULT 0,
  taken DECIMAL(12,2) NOT NULL DEFAULT 0,
  returned DECIMAL(12,2) NOT NULL DEFAULT 0,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  UNIQUE KEY order_line_once (order_id, sku),
  KEY order_line_variant (variant_id),
  KEY order_line_product (product_id),
  CONSTRAINT order_line_of FOREIGN KEY (order_id) REFERENCES shop_order (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

CREATE TABLE IF NOT EXISTS order_report (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  destination VARCHAR(12) CHARACTER SET ascii NOT NULL DEFAULT '',
  code VARCHAR(80) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NOT NULL,
  order_id INT UNSIGNED NOT NULL,
  told VARCHAR(12) CHARACTER SET ascii NOT NULL,
  reported_lines TEXT NOT NULL,
  at DATETIME(3) NOT NULL,
  UNIQUE KEY order_report_once (destination, code),
  KEY order_report_order (order_id),
  CONSTRAINT order_report_of FOREIGN KEY (order_id) REFERENCES shop_order (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

-- Variants that are below their threshold, and since when; worked out after each change that could matter.
CREATE TABLE IF NOT EXISTS stock_alert (
  id INT UNSIGNED NOT NULL PRIMARY KEY,
  product_id INT UNSIGNED NOT NULL,
  since DATETIME(3) NOT NULL,
  mailed BOOL NOT NULL DEFAULT FALSE,
  KEY stock_alert_since (since, id),
  KEY stock_alert_product (product_id),
  KEY stock_alert_mailed (mailed)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

-- What is below its threshold already; nobody is written of it.
INSERT IGNORE INTO stock_alert (id, product_id, since, mailed)
SELECT k.id, k.product_id, UTC_TIMESTAMP(3), TRUE FROM stock k JOIN variant v ON v.id = k.id AND NOT v.archived
JOIN product p ON p.id = v.product_id LEFT JOIN selling_rules y ON y.type_key = p.type_id
LEFT JOIN selling_rules h ON h.type_key = 0
WHERE k.counted AND k.on_hand - k.reserved < COALESCE(v.low_stock, p.low_stock, y.low_stock, h.low_stock, 5);

-- Who is written to when something falls below its threshold, and the secret part of the feed's address.
CREATE TABLE IF NOT EXISTS stock_notice (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  mails VARCHAR(500) NOT NULL DEFAULT '',
  feed_key VARCHAR(60) CHARACTER SET ascii NOT NULL DEFAULT '',
  version INT UNSIGNED NOT NULL DEFAULT 1
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

INSERT IGNORE INTO stock_notice (id) VALUES (1);
