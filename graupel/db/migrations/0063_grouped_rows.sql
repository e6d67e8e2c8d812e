-- Rows of a file that mean one product, and what they say of attributes.
ALTER TABLE batch_row
  ADD COLUMN IF NOT EXISTS code VARCHAR(64) CHARACTER SET ascii COLLATE ascii_general_ci NULL,
  -- the line that speaks for the product; NULL where that is this row itself
  ADD COLUMN IF NOT EXISTS lead INT UNSIGNED NULL,
  ADD COLUMN IF NOT EXISTS type VARCHAR(120) COLLATE utf8mb4_unicode_ci NULL,
  ADD COLUMN IF NOT EXISTS type_id INT UNSIGNED NULL,
  ADD COLUMN IF NOT EXISTS tax_class VARCHAR(120) COLLATE utf8mb4_unicode_ci NULL,
  ADD COLUMN IF NOT EXISTS tax_class_id INT UNSIGNED NULL,
  -- what the row says of attributes, as it was read
  ADD COLUMN IF NOT EXISTS facts MEDIUMTEXT NULL;
-- What a planned row would make of the facts of its product; a row without a value takes the fact away. Ids of choices
-- below 0 are those of batch_choice.
CREATE TABLE IF NOT EXISTS batch_fact (
  batch_id BIGINT UNSIGNED NOT NULL,
  line INT UNSIGNED NOT NULL,
  attribute_id INT UNSIGNED NOT NULL,
  place SMALLINT UNSIGNED NOT NULL,
  choice_id BIGINT NULL,
  number DECIMAL(24,6) NULL,
  unit VARCHAR(8) NULL,
  text TEXT NULL,
  PRIMARY KEY (batch_id, line, attribute_id, place)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
-- The choices of a variant that a row makes, or gives other ones.
CREATE TABLE IF NOT EXISTS batch_variant (
  batch_id BIGINT UNSIGNED NOT NULL,
  line INT UNSIGNED NOT NULL,
  choice_1 BIGINT NULL,
  choice_2 BIGINT NULL,
  choice_3 BIGINT NULL,
  choice_4 BIGINT NULL,
  choice_5 BIGINT NULL,
  PRIMARY KEY (batch_id, line)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
-- What a new product differs by, by the line that speaks for it.
CREATE TABLE IF NOT EXISTS batch_axis (
  batch_id BIGINT UNSIGNED NOT NULL,
  line INT UNSIGNED NOT NULL,
  position TINYINT UNSIGNED NOT NULL,
  attribute_id INT UNSIGNED NOT NULL,
  PRIMARY KEY (batch_id, line, position)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
-- The choices that a file would make.
CREATE TABLE IF NOT EXISTS batch_choice (
  batch_id BIGINT UNSIGNED NOT NULL,
  number INT UNSIGNED NOT NULL,
  attribute_id INT UNSIGNED NOT NULL,
  label VARCHAR(80) COLLATE utf8mb4_bin NOT NULL,
  PRIMARY KEY (batch_id, number)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
