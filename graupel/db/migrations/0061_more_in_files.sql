-- A file also brings GTINs, short texts, and brands, which are made where they are not there.
ALTER TABLE batch_row
  ADD COLUMN IF NOT EXISTS gtin VARCHAR(14) CHARACTER SET ascii NULL,
  ADD COLUMN IF NOT EXISTS short_text VARCHAR(600) COLLATE utf8mb4_unicode_ci NULL,
  ADD COLUMN IF NOT EXISTS brand VARCHAR(120) COLLATE utf8mb4_unicode_ci NULL,
  ADD COLUMN IF NOT EXISTS brand_id INT UNSIGNED NULL;
