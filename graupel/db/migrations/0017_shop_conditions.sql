-- What a shop shows by conditions stands in goods_condition.
ALTER TABLE shop DROP COLUMN IF EXISTS conditions;
