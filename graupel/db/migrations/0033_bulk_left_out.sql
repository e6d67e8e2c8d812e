-- Products that changed after the dry run are left out of a bulk edit, and can be asked for again. Several tags at once.
ALTER TABLE bulk_row MODIFY COLUMN action ENUM('changed','unchanged','refused','moved') NOT NULL;
ALTER TABLE bulk_edit MODIFY COLUMN value VARCHAR(2000) NOT NULL;
