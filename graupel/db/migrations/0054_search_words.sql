-- Words by which buyers may search what is called otherwise, and what goes out with the mail when a product is sent.
ALTER TABLE product_text
  ADD COLUMN IF NOT EXISTS search_words VARCHAR(300) NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS sent_note VARCHAR(1000) NOT NULL DEFAULT '';
ALTER TABLE category_text ADD COLUMN IF NOT EXISTS search_words VARCHAR(300) NOT NULL DEFAULT '';
ALTER TABLE batch_row ADD COLUMN IF NOT EXISTS search_words VARCHAR(300) NULL;
