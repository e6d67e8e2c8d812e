-- Several trees: the main navigation, and others such as one at the foot of the page.
CREATE TABLE IF NOT EXISTS tree (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name VARCHAR(80) COLLATE utf8mb4_bin NOT NULL,
  position INT UNSIGNED NOT NULL DEFAULT 0,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  UNIQUE KEY tree_name (name)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

INSERT IGNORE INTO tree (id, name, position) VALUES (1, 'Main navigation', 0), (2, 'Foot of the page', 1);

ALTER TABLE category
  -- set at the top of a tree, where there is no parent
  ADD COLUMN IF NOT EXISTS tree_id INT UNSIGNED NULL AFTER parent_id,
  ADD COLUMN IF NOT EXISTS kind ENUM('goods','heading','link') NOT NULL DEFAULT 'goods',
  ADD COLUMN IF NOT EXISTS hidden BOOL NOT NULL DEFAULT FALSE,
  ADD COLUMN IF NOT EXISTS in_navigation BOOL NOT NULL DEFAULT TRUE,
  ADD COLUMN IF NOT EXISTS link VARCHAR(500) NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS picture_id INT UNSIGNED NULL,
  ADD COLUMN IF NOT EXISTS canonical VARCHAR(300) NOT NULL DEFAULT '',
  ADD CONSTRAINT category_tree FOREIGN KEY IF NOT EXISTS (tree_id) REFERENCES tree (id),
  ADD CONSTRAINT category_picture FOREIGN KEY IF NOT EXISTS (picture_id) REFERENCES media (id);

UPDATE category SET tree_id = 1 WHERE parent_id IS NULL AND tree_id IS NULL;

ALTER TABLE category DROP INDEX IF EXISTS category_siblings, DROP COLUMN IF EXISTS parent_key;

ALTER TABLE category
  -- Siblings have different names; those at the top of a tree count under its negative number.
  ADD COLUMN IF NOT EXISTS parent_key INT
    AS (COALESCE(CAST(parent_id AS SIGNED), -CAST(tree_id AS SIGNED), 0)) PERSISTENT,
  ADD UNIQUE KEY IF NOT EXISTS category_siblings (parent_key, name);

-- The words of a category, but its name, in one language.
CREATE TABLE IF NOT EXISTS category_text (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  category_id INT UNSIGNED NOT NULL,
  lang VARCHAR(12) CHARACTER SET ascii NOT NULL,
  description MEDIUMTEXT NOT NULL DEFAULT '',
  meta_title VARCHAR(200) NOT NULL DEFAULT '',
  meta_description VARCHAR(400) NOT NULL DEFAULT '',
  address_part VARCHAR(120) NOT NULL DEFAULT '',
  picture_alt VARCHAR(300) NOT NULL DEFAULT '',
  version INT UNSIGNED NOT NULL DEFAULT 1,
  UNIQUE KEY category_text_once (category_id, lang),
  CONSTRAINT category_text_of FOREIGN KEY (category_id) REFERENCES category (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4 COLLATE=utf8mb4_unicode_ci;

-- Positions without gaps, as they are kept from now on.
UPDATE category c JOIN (
  SELECT id, ROW_NUMBER() OVER (PARTITION BY parent_id ORDER BY position, name) - 1 AS place FROM category
) p ON p.id = c.id SET c.position = p.place;
