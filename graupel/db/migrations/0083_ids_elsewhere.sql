-- The id by which another system of the merchant's knows a variant; people find goods by it too.
ALTER TABLE variant ADD COLUMN IF NOT EXISTS
  elsewhere VARCHAR(64) COLLATE utf8mb4_unicode_ci NULL AFTER gtin;
ALTER TABLE variant ADD KEY IF NOT EXISTS variant_elsewhere (elsewhere);
ALTER TABLE batch_row ADD COLUMN IF NOT EXISTS
  elsewhere VARCHAR(64) COLLATE utf8mb4_unicode_ci NULL AFTER gtin;
