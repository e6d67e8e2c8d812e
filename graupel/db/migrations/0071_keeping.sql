-- For how long the record keeps what acts changed, by their kind; NULL: for ever.
CREATE TABLE IF NOT EXISTS keeping (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  flow_days SMALLINT UNSIGNED NULL,
  large_days SMALLINT UNSIGNED NULL,
  rest_days SMALLINT UNSIGNED NULL,
  version INT UNSIGNED NOT NULL DEFAULT 1
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

INSERT INTO keeping (id) SELECT 1 FROM (SELECT 1) one WHERE NOT EXISTS (SELECT 1 FROM keeping);

ALTER TABLE change_set ADD COLUMN IF NOT EXISTS thinned BOOLEAN NOT NULL DEFAULT FALSE,
  ADD KEY IF NOT EXISTS change_set_thinned (thinned, made_at);
