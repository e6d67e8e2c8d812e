CREATE TABLE IF NOT EXISTS user (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  email VARCHAR(254) NOT NULL,
  name VARCHAR(120) NOT NULL,
  role ENUM('viewer','editor','owner') NOT NULL,
  password_hash VARCHAR(255) NOT NULL,
  created_at DATETIME(3) NOT NULL DEFAULT UTC_TIMESTAMP(3),
  UNIQUE KEY user_email (email)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

CREATE TABLE IF NOT EXISTS session (
  token_hash CHAR(64) CHARACTER SET ascii NOT NULL PRIMARY KEY,
  public_id CHAR(16) CHARACTER SET ascii NOT NULL,
  user_id INT UNSIGNED NOT NULL,
  csrf CHAR(43) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  agent VARCHAR(200) NOT NULL,
  created_at DATETIME(3) NOT NULL,
  seen_at DATETIME(3) NOT NULL,
  ends_at DATETIME(3) NOT NULL,
  KEY session_user (user_id),
  UNIQUE KEY session_public (public_id),
  CONSTRAINT session_of_user FOREIGN KEY (user_id) REFERENCES user (id) ON DELETE CASCADE
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

CREATE TABLE IF NOT EXISTS failed_try (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  who VARCHAR(254) NOT NULL,
  origin VARCHAR(64) NOT NULL,
  at DATETIME(3) NOT NULL,
  KEY failed_try_who (who, at),
  KEY failed_try_origin (origin, at)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

CREATE TABLE IF NOT EXISTS api_token (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name VARCHAR(120) NOT NULL,
  token_hash CHAR(64) CHARACTER SET ascii NOT NULL,
  role ENUM('viewer','editor','owner') NOT NULL,
  user_id INT UNSIGNED NOT NULL,
  created_at DATETIME(3) NOT NULL DEFAULT UTC_TIMESTAMP(3),
  used_at DATETIME(3) NULL,
  revoked_at DATETIME(3) NULL,
  UNIQUE KEY api_token_hash (token_hash),
  CONSTRAINT api_token_of_user FOREIGN KEY (user_id) REFERENCES user (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
