-- What is odd about a row of a file; rows that changed after the dry run and were left out; what a file would make.
ALTER TABLE batch_row
  ADD COLUMN IF NOT EXISTS odd VARCHAR(40) CHARACTER SET ascii NULL,
  MODIFY COLUMN action ENUM('new','changed','unchanged','refused','moved') NULL;
ALTER TABLE import_file
  ADD COLUMN IF NOT EXISTS makes MEDIUMTEXT NULL,
  ADD COLUMN IF NOT EXISTS show_new TINYINT(1) NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS only_lines MEDIUMTEXT CHARACTER SET ascii NULL;
