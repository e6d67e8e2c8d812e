-- Files whose rows are no goods but categories, attributes, product types, brands or tags, and what each row would do.
ALTER TABLE import_file ADD COLUMN IF NOT EXISTS
  rows_are VARCHAR(12) CHARACTER SET ascii NOT NULL DEFAULT 'goods' AFTER key_by;
ALTER TABLE import_profile ADD COLUMN IF NOT EXISTS
  rows_are VARCHAR(12) CHARACTER SET ascii NOT NULL DEFAULT 'goods' AFTER key_by;
ALTER TABLE export_file ADD COLUMN IF NOT EXISTS
  rows_are VARCHAR(12) CHARACTER SET ascii NOT NULL DEFAULT 'goods' AFTER with_pictures;
CREATE TABLE IF NOT EXISTS batch_record (
  batch_id INT UNSIGNED NOT NULL,
  line INT UNSIGNED NOT NULL,
  place INT UNSIGNED NOT NULL,
  action VARCHAR(10) CHARACTER SET ascii NOT NULL,
  name VARCHAR(1000) COLLATE utf8mb4_unicode_ci NOT NULL,
  record_kind VARCHAR(30) CHARACTER SET ascii NULL,
  record_id INT UNSIGNED NULL,
  said MEDIUMTEXT NOT NULL,
  was MEDIUMTEXT NOT NULL,
  becomes MEDIUMTEXT NOT NULL,
  problems TEXT NULL,
  PRIMARY KEY (batch_id, line),
  KEY batch_record_action (batch_id, action, line)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
