-- The words that the dry run of a bulk edit named as new; nothing else is made.
ALTER TABLE bulk_edit ADD COLUMN IF NOT EXISTS makes TEXT NOT NULL DEFAULT '';
