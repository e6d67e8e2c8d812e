-- Goods of a category that belong to the goods of another, by kind of relation; and products that stand before others.
CREATE TABLE IF NOT EXISTS relation_rule (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  relation_kind_id INT UNSIGNED NOT NULL,
  of_category_id INT UNSIGNED NOT NULL,
  other_category_id INT UNSIGNED NOT NULL,
  position INT UNSIGNED NOT NULL DEFAULT 0,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  UNIQUE KEY relation_rule_once (relation_kind_id, of_category_id, other_category_id),
  KEY relation_rule_of (of_category_id),
  KEY relation_rule_other (other_category_id),
  CONSTRAINT relation_rule_is FOREIGN KEY (relation_kind_id) REFERENCES relation_kind (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

ALTER TABLE product
  ADD COLUMN IF NOT EXISTS first_place SMALLINT UNSIGNED NULL,
  ADD KEY IF NOT EXISTS product_first_place (first_place);
