-- What the rows of a file say of whether goods are shown.
ALTER TABLE batch_row ADD COLUMN IF NOT EXISTS status ENUM('draft', 'live', 'archived') NULL;
