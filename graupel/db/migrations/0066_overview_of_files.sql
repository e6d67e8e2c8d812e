-- What a dry run comes to: columns that change, how far prices move, why rows are refused.
ALTER TABLE import_file ADD COLUMN IF NOT EXISTS overview MEDIUMTEXT NULL;
