CREATE TABLE IF NOT EXISTS change_set (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  kind VARCHAR(40) CHARACTER SET ascii NOT NULL,
  title VARCHAR(300) NOT NULL,
  user_id INT UNSIGNED NULL,
  actor VARCHAR(160) NOT NULL,
  made_at DATETIME(3) NOT NULL,
  records INT UNSIGNED NOT NULL DEFAULT 0,
  rolls_back BIGINT UNSIGNED NULL,
  rolled_back_by BIGINT UNSIGNED NULL,
  KEY change_set_kind (kind, id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

-- One row for each record that a change set touched: the fields that changed, as they were and as they became.
-- was NULL: the record was made; became NULL: the record was removed.
CREATE TABLE IF NOT EXISTS change_row (
  change_set_id BIGINT UNSIGNED NOT NULL,
  record_kind VARCHAR(24) CHARACTER SET ascii NOT NULL,
  record_id BIGINT UNSIGNED NOT NULL,
  version INT UNSIGNED NOT NULL DEFAULT 0,
  was LONGTEXT CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NULL,
  became LONGTEXT CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NULL,
  PRIMARY KEY (change_set_id, record_kind, record_id),
  KEY change_row_record (record_kind, record_id, change_set_id),
  CONSTRAINT change_row_of_set FOREIGN KEY (change_set_id) REFERENCES change_set (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
