-- The columns of the products table that a person chose, in order.
CREATE TABLE IF NOT EXISTS table_columns (
  user_id INT UNSIGNED NOT NULL PRIMARY KEY,
  columns VARCHAR(400) CHARACTER SET ascii NOT NULL,
  CONSTRAINT table_columns_of FOREIGN KEY (user_id) REFERENCES user (id) ON DELETE CASCADE
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

-- A search with its facets, sorting and columns under a name, for everybody.
CREATE TABLE IF NOT EXISTS saved_view (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name VARCHAR(60) NOT NULL,
  query VARCHAR(2000) NOT NULL,
  columns VARCHAR(400) CHARACTER SET ascii NOT NULL,
  UNIQUE KEY saved_view_name (name)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

-- One value that is to be given to many products: what it is, and to which, as they were when it was looked at.
CREATE TABLE IF NOT EXISTS bulk_edit (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  field ENUM('status','category','brand','tag_on','tag_off') NOT NULL,
  value VARCHAR(255) NOT NULL,
  query VARCHAR(2000) NOT NULL,
  user_id INT UNSIGNED NULL,
  made_at DATETIME(3) NOT NULL,
  job_id BIGINT UNSIGNED NULL,
  change_set_id BIGINT UNSIGNED NULL,
  KEY bulk_edit_age (made_at)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

CREATE TABLE IF NOT EXISTS bulk_row (
  bulk_id BIGINT UNSIGNED NOT NULL,
  product_id INT UNSIGNED NOT NULL,
  version INT UNSIGNED NOT NULL,
  action ENUM('changed','unchanged','refused') NOT NULL,
  PRIMARY KEY (bulk_id, product_id),
  KEY bulk_row_action (bulk_id, action),
  CONSTRAINT bulk_row_of FOREIGN KEY (bulk_id) REFERENCES bulk_edit (id) ON DELETE CASCADE
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
