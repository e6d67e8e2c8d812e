-- Files that go by themselves: what is written at set times into the folder for them.
CREATE TABLE IF NOT EXISTS file_outlet (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name VARCHAR(80) COLLATE utf8mb4_unicode_ci NOT NULL,
  format VARCHAR(8) CHARACTER SET ascii NOT NULL,
  with_pictures BOOLEAN NOT NULL DEFAULT FALSE,
  fields TEXT NOT NULL,
  query TEXT NOT NULL,
  every ENUM('hour', 'day') NOT NULL DEFAULT 'day',
  minute SMALLINT UNSIGNED NOT NULL DEFAULT 0,
  person VARCHAR(254) NOT NULL DEFAULT '',
  version INT UNSIGNED NOT NULL DEFAULT 1,
  reached DATETIME(3) NOT NULL DEFAULT UTC_TIMESTAMP(3),
  written_at DATETIME(3) NULL,
  is_wrong BOOLEAN NOT NULL DEFAULT FALSE,
  said VARCHAR(500) NOT NULL DEFAULT '',
  UNIQUE KEY file_outlet_name (name)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
