ALTER TABLE batch_row
  ADD COLUMN IF NOT EXISTS stock DECIMAL(12,2) NULL,
  -- what was there at the moment for which the file's counts hold, NULL where it was not counted
  ADD COLUMN IF NOT EXISTS stock_held DECIMAL(12,2) NULL,
  -- nothing but stock differs: no version moves
  ADD COLUMN IF NOT EXISTS only_stock BOOL NOT NULL DEFAULT FALSE;
