-- Saved settings of files that come in: where each field comes from, by the headers of columns, as JSON.
CREATE TABLE IF NOT EXISTS import_profile (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name VARCHAR(80) CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci NOT NULL,
  rules MEDIUMTEXT NOT NULL,
  go_live TINYINT(1) NOT NULL DEFAULT 0,
  show_new TINYINT(1) NOT NULL DEFAULT 0,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  UNIQUE KEY import_profile_name (name)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

ALTER TABLE import_file ADD COLUMN IF NOT EXISTS profile_id INT UNSIGNED NULL;
