ALTER TABLE product
  ADD COLUMN IF NOT EXISTS origin_country CHAR(2) CHARACTER SET ascii NULL;

ALTER TABLE variant
  ADD COLUMN IF NOT EXISTS origin_country CHAR(2) CHARACTER SET ascii NULL;

ALTER TABLE batch_row
  ADD COLUMN IF NOT EXISTS origin_country CHAR(2) CHARACTER SET ascii NULL;

-- What is given in bulk is declared with the fields.
ALTER TABLE bulk_edit
  MODIFY COLUMN field VARCHAR(40) CHARACTER SET ascii NOT NULL;
