-- How the goods of a type are delivered where they do not say so themselves; '' for shipped.
ALTER TABLE product_type ADD COLUMN IF NOT EXISTS delivered VARCHAR(12) CHARACTER SET ascii NOT NULL DEFAULT '';
