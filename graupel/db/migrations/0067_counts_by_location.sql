-- What a file counted at further locations: as it was read, and beside it what was there.
ALTER TABLE batch_row ADD COLUMN IF NOT EXISTS counted TEXT CHARACTER SET ascii NULL;
CREATE TABLE IF NOT EXISTS batch_count (
  batch_id BIGINT UNSIGNED NOT NULL,
  line INT UNSIGNED NOT NULL,
  location_id INT UNSIGNED NOT NULL,
  amount DECIMAL(12,2) NOT NULL,
  held DECIMAL(12,2) NULL,
  PRIMARY KEY (batch_id, line, location_id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
