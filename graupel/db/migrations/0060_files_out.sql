-- What went out as a file: of which goods, which columns, in which format, and what became of it.
CREATE TABLE IF NOT EXISTS export_file (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name VARCHAR(120) NOT NULL,
  format VARCHAR(8) CHARACTER SET ascii NOT NULL,
  fields TEXT NOT NULL,
  query TEXT NULL,
  row_count INT UNSIGNED NULL,
  cut_count INT UNSIGNED NOT NULL DEFAULT 0,
  bytes BIGINT UNSIGNED NULL,
  job_id BIGINT UNSIGNED NULL,
  user_id INT UNSIGNED NULL,
  actor VARCHAR(160) NOT NULL,
  made_at DATETIME(3) NOT NULL
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
