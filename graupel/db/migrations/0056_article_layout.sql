-- How the pages of a type's goods are laid out in the shop window; '' as usual.
ALTER TABLE product_type ADD COLUMN IF NOT EXISTS layout VARCHAR(8) CHARACTER SET ascii NOT NULL DEFAULT '';
