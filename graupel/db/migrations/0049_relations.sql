-- Goods that belong together. Kinds of relation are words of the vocabulary; these are there from the beginning.
CREATE TABLE IF NOT EXISTS relation_kind (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name VARCHAR(80) COLLATE utf8mb4_unicode_ci NOT NULL,
  position INT UNSIGNED NOT NULL DEFAULT 0,
  mutual BOOLEAN NOT NULL DEFAULT FALSE,
  offered BOOLEAN NOT NULL DEFAULT FALSE,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  UNIQUE KEY relation_kind_name (name)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

INSERT IGNORE INTO relation_kind (id, name, position, mutual, offered) VALUES
  (1, 'Goes well with', 0, TRUE, TRUE), (2, 'Finer still', 1, FALSE, FALSE), (3, 'Accessories', 2, FALSE, TRUE),
  (4, 'Spare parts', 3, FALSE, FALSE), (5, 'Comes in its place', 4, FALSE, FALSE), (6, 'Completes the set', 5, TRUE, TRUE);

-- What is related need not be there any more: then it is not seen, and is there again with it.
CREATE TABLE IF NOT EXISTS relation (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  product_id INT UNSIGNED NOT NULL,
  relation_kind_id INT UNSIGNED NOT NULL,
  other_id INT UNSIGNED NOT NULL,
  position INT UNSIGNED NOT NULL DEFAULT 0,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  UNIQUE KEY relation_once (product_id, relation_kind_id, other_id),
  KEY relation_kind (relation_kind_id),
  KEY relation_other (other_id),
  CONSTRAINT relation_of FOREIGN KEY (product_id) REFERENCES product (id),
  CONSTRAINT relation_is FOREIGN KEY (relation_kind_id) REFERENCES relation_kind (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
