-- What the rows of a file say of part numbers; those of one product are looked for by the row that speaks for it.
ALTER TABLE batch_row ADD COLUMN IF NOT EXISTS mpn VARCHAR(70) NULL;
