-- The table is sorted by list price and cost too.
ALTER TABLE product_summary
  ADD COLUMN IF NOT EXISTS list_price_low DECIMAL(12,2) NULL,
  ADD COLUMN IF NOT EXISTS cost_low DECIMAL(12,2) NULL,
  ADD KEY IF NOT EXISTS product_summary_list_price (list_price_low, product_id),
  ADD KEY IF NOT EXISTS product_summary_cost (cost_low, product_id);

UPDATE product_summary s JOIN (
  SELECT v.product_id, MIN(COALESCE(v.list_price, p.list_price)) AS list_price, MIN(COALESCE(v.cost, p.cost)) AS cost
  FROM variant v JOIN product p ON p.id = v.product_id WHERE NOT v.archived GROUP BY v.product_id) found
  ON found.product_id = s.product_id
SET s.list_price_low = found.list_price, s.cost_low = found.cost;
