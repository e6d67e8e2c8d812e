-- What costs less when it is bought together with a product; the moments are UTC.
ALTER TABLE relation
  ADD COLUMN IF NOT EXISTS less_by VARCHAR(8) CHARACTER SET ascii NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS less DECIMAL(12, 2) NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS less_from DATETIME NULL,
  ADD COLUMN IF NOT EXISTS less_until DATETIME NULL;
