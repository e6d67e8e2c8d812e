-- What a file may do, by what its rows mean goods, and what it would archive where it is all there is.
ALTER TABLE import_file
  ADD COLUMN IF NOT EXISTS way VARCHAR(8) CHARACTER SET ascii NOT NULL DEFAULT 'both',
  ADD COLUMN IF NOT EXISTS among VARCHAR(24) CHARACTER SET ascii NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS key_by VARCHAR(8) CHARACTER SET ascii NOT NULL DEFAULT 'sku';
ALTER TABLE import_profile
  ADD COLUMN IF NOT EXISTS way VARCHAR(8) CHARACTER SET ascii NOT NULL DEFAULT 'both',
  ADD COLUMN IF NOT EXISTS among VARCHAR(24) CHARACTER SET ascii NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS key_by VARCHAR(8) CHARACTER SET ascii NOT NULL DEFAULT 'sku';
ALTER TABLE batch_row
  MODIFY COLUMN action ENUM('new','changed','unchanged','refused','moved','skipped') NULL;
-- variant_id 0: the whole product
CREATE TABLE IF NOT EXISTS batch_gone (
  batch_id BIGINT UNSIGNED NOT NULL,
  product_id INT UNSIGNED NOT NULL,
  variant_id INT UNSIGNED NOT NULL DEFAULT 0,
  product_version INT UNSIGNED NOT NULL,
  PRIMARY KEY (batch_id, product_id, variant_id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
