CREATE TABLE IF NOT EXISTS category (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  parent_id INT UNSIGNED NULL,
  position INT UNSIGNED NOT NULL DEFAULT 0,
  name VARCHAR(120) NOT NULL,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  -- Siblings have different names; the root has no row, so its children count under 0.
  parent_key INT UNSIGNED AS (COALESCE(parent_id, 0)) PERSISTENT,
  UNIQUE KEY category_siblings (parent_key, name),
  KEY category_parent (parent_id, position),
  CONSTRAINT category_below FOREIGN KEY (parent_id) REFERENCES category (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
