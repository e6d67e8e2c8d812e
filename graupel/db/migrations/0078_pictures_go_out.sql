-- A file that goes out may have the pictures beside it, all in a zip.
ALTER TABLE export_file ADD COLUMN IF NOT EXISTS with_pictures BOOLEAN NOT NULL DEFAULT FALSE;
