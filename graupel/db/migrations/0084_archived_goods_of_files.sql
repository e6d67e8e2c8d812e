-- Whether archived goods that stand in a file are for sale again.
ALTER TABLE import_file ADD COLUMN IF NOT EXISTS revive TINYINT(1) NOT NULL DEFAULT 0;
ALTER TABLE import_profile ADD COLUMN IF NOT EXISTS revive TINYINT(1) NOT NULL DEFAULT 0;
