-- How a file is read is one value, and where each field comes from a list of rules (core.columns).
ALTER TABLE import_file
  ADD COLUMN IF NOT EXISTS shape TEXT NULL,
  ADD COLUMN IF NOT EXISTS can_be MEDIUMTEXT NULL,
  ADD COLUMN IF NOT EXISTS rules LONGTEXT NULL,
  ADD COLUMN IF NOT EXISTS passed MEDIUMTEXT NULL;

UPDATE import_file SET shape = JSON_OBJECT('kind', 'text', 'encoding', encoding, 'delimiter', delimiter),
  rules = (SELECT CONCAT('[', COALESCE(GROUP_CONCAT(JSON_OBJECT('field', k.name,
                    'column', JSON_EXTRACT(columns, CONCAT('$.', k.name)))), ''), ']')
           FROM JSON_TABLE(JSON_KEYS(columns), '$[*]' COLUMNS (name VARCHAR(40) PATH '$')) k)
WHERE shape IS NULL;

-- Which field somebody chose last time for a column with this header; '' where it was left out.
CREATE TABLE IF NOT EXISTS column_habit (
  header VARCHAR(120) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NOT NULL PRIMARY KEY,
  field VARCHAR(40) CHARACTER SET ascii NOT NULL,
  rule TEXT NOT NULL,
  said_at DATETIME(3) NOT NULL
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
