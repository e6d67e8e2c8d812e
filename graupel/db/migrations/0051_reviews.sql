-- Which products buyers may review, and what they wrote. A review waits until somebody of the shop has read it.
CREATE TABLE IF NOT EXISTS review_switch (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  product_id INT UNSIGNED NOT NULL,
  allowed BOOLEAN NOT NULL DEFAULT FALSE,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  UNIQUE KEY review_switch_once (product_id),
  CONSTRAINT review_switch_of FOREIGN KEY (product_id) REFERENCES product (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

CREATE TABLE IF NOT EXISTS review (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  product_id INT UNSIGNED NOT NULL,
  lang VARCHAR(12) CHARACTER SET ascii NOT NULL,
  name VARCHAR(80) NOT NULL,
  stars TINYINT UNSIGNED NOT NULL,
  said TEXT NOT NULL,
  state VARCHAR(10) CHARACTER SET ascii NOT NULL DEFAULT 'waiting',
  answer TEXT NOT NULL,
  reason VARCHAR(300) NOT NULL DEFAULT '',
  who BINARY(16) NOT NULL DEFAULT '',
  made_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  version INT UNSIGNED NOT NULL DEFAULT 1,
  KEY review_of (product_id, state, id),
  KEY review_state (state, id),
  KEY review_who (who, made_at),
  CONSTRAINT review_about FOREIGN KEY (product_id) REFERENCES product (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
