-- What buyers download. A download may be given with several products, and has versions.
CREATE TABLE IF NOT EXISTS download (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name VARCHAR(120) COLLATE utf8mb4_unicode_ci NOT NULL,
  before_buying BOOLEAN NOT NULL DEFAULT FALSE,
  times INT UNSIGNED NULL,
  days INT UNSIGNED NULL,
  stamped BOOLEAN NOT NULL DEFAULT FALSE,
  plays VARCHAR(8) CHARACTER SET ascii NOT NULL DEFAULT 'kept',
  excerpt_pages INT UNSIGNED NULL,
  renews BOOLEAN NOT NULL DEFAULT TRUE,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  KEY download_name (name)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

-- The newest version is the one with the highest number. The bytes lie under kept_as.
CREATE TABLE IF NOT EXISTS download_version (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  download_id INT UNSIGNED NOT NULL,
  number INT UNSIGNED NOT NULL,
  file_name VARCHAR(200) NOT NULL,
  kept_as CHAR(32) CHARACTER SET ascii NOT NULL,
  bytes BIGINT UNSIGNED NOT NULL,
  pages INT UNSIGNED NULL,
  trouble VARCHAR(200) NOT NULL DEFAULT '',
  made_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  version INT UNSIGNED NOT NULL DEFAULT 1,
  UNIQUE KEY download_version_once (download_id, number),
  CONSTRAINT download_version_of FOREIGN KEY (download_id) REFERENCES download (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

CREATE TABLE IF NOT EXISTS download_use (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  product_id INT UNSIGNED NOT NULL,
  variant_id INT UNSIGNED NULL,
  download_id INT UNSIGNED NOT NULL,
  position INT UNSIGNED NOT NULL DEFAULT 0,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  variant_key INT UNSIGNED AS (COALESCE(variant_id, 0)) PERSISTENT,
  UNIQUE KEY download_use_once (product_id, download_id, variant_key),
  KEY download_use_of (download_id),
  KEY download_use_variant (variant_id),
  CONSTRAINT download_use_product FOREIGN KEY (product_id) REFERENCES product (id),
  CONSTRAINT download_use_download FOREIGN KEY (download_id) REFERENCES download (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

-- What a buyer was given: by the secret part of its link.
CREATE TABLE IF NOT EXISTS given_download (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  order_id INT UNSIGNED NOT NULL,
  line_id INT UNSIGNED NOT NULL,
  download_id INT UNSIGNED NOT NULL,
  download_version_id INT UNSIGNED NOT NULL,
  secret CHAR(32) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  buyer VARCHAR(300) NOT NULL DEFAULT '',
  taken INT UNSIGNED NOT NULL DEFAULT 0,
  most INT UNSIGNED NULL,
  until_at DATETIME(3) NULL,
  closed BOOLEAN NOT NULL DEFAULT FALSE,
  last_at DATETIME(3) NULL,
  UNIQUE KEY given_download_secret (secret),
  UNIQUE KEY given_download_once (line_id, download_id),
  KEY given_download_order (order_id),
  KEY given_download_of (download_id, id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

-- A download under way: what of it was sent to whom, and until when it counts as under way.
CREATE TABLE IF NOT EXISTS download_run (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  given_id INT UNSIGNED NOT NULL,
  who BINARY(16) NOT NULL,
  download_version_id INT UNSIGNED NOT NULL,
  spans TEXT NOT NULL,
  until_at DATETIME(3) NOT NULL,
  UNIQUE KEY download_run_once (given_id, who, download_version_id),
  CONSTRAINT download_run_of FOREIGN KEY (given_id) REFERENCES given_download (id) ON DELETE CASCADE
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

ALTER TABLE order_rules ADD COLUMN IF NOT EXISTS gives_at VARCHAR(12) CHARACTER SET ascii NOT NULL DEFAULT 'paid';
