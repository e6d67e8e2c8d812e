-- What a file made stands in the journal; that each product kept it too cost every imported row an index.
ALTER TABLE product DROP KEY IF EXISTS product_batch, DROP COLUMN IF EXISTS batch_id, DROP COLUMN IF EXISTS batch_line;
