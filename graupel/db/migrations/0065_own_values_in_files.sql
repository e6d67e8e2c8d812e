-- What a file says for a language or a destination: as it was read, by key, and what of it would be written.
ALTER TABLE batch_row ADD COLUMN IF NOT EXISTS own MEDIUMTEXT NULL;
CREATE TABLE IF NOT EXISTS batch_own (
  batch_id BIGINT UNSIGNED NOT NULL,
  destination VARCHAR(12) CHARACTER SET ascii NOT NULL,
  lang VARCHAR(12) CHARACTER SET ascii NOT NULL,
  field VARCHAR(24) CHARACTER SET ascii NOT NULL,
  -- told apart by it: a product that is there or to be made, or a variant
  owner BIGINT UNSIGNED NOT NULL,
  line INT UNSIGNED NOT NULL,
  level ENUM('product','variant') NOT NULL,
  value MEDIUMTEXT NULL,
  PRIMARY KEY (batch_id, destination, lang, field, owner),
  KEY batch_own_line (batch_id, line)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
