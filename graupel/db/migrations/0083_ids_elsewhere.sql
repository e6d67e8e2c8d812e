-- The id by which another system of the merchant's knows a variant. No key: what a file names is found by going through
-- all of them once, and each key costs every variant that is ever written.
ALTER TABLE variant ADD COLUMN IF NOT EXISTS
  elsewhere VARCHAR(64) COLLATE utf8mb4_unicode_ci NULL AFTER gtin;
ALTER TABLE batch_row ADD COLUMN IF NOT EXISTS
  elsewhere VARCHAR(64) COLLATE utf8mb4_unicode_ci NULL AFTER gtin;
