-- People who left keep their name; a second factor; sessions that end whatever is done with them; tokens with an end.
ALTER TABLE user
  ADD COLUMN ended_at DATETIME(3) NULL,
  ADD COLUMN second_secret VARCHAR(255) CHARACTER SET ascii NOT NULL DEFAULT '',
  ADD COLUMN second_step BIGINT UNSIGNED NOT NULL DEFAULT 0,
  ADD COLUMN version INT UNSIGNED NOT NULL DEFAULT 1;

ALTER TABLE session
  ADD COLUMN last_end DATETIME(3) NULL,
  ADD COLUMN origin VARCHAR(64) NOT NULL DEFAULT '';
UPDATE session SET last_end = created_at + INTERVAL 30 DAY;

ALTER TABLE api_token ADD COLUMN ends_at DATETIME(3) NULL;
UPDATE api_token SET ends_at = UTC_TIMESTAMP(3) + INTERVAL 1 YEAR WHERE revoked_at IS NULL;

CREATE TABLE IF NOT EXISTS recovery_code (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  user_id INT UNSIGNED NOT NULL,
  code_hash CHAR(64) CHARACTER SET ascii NOT NULL,
  UNIQUE KEY recovery_code_of (user_id, code_hash),
  CONSTRAINT recovery_code_of_user FOREIGN KEY (user_id) REFERENCES user (id) ON DELETE CASCADE
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

-- A link by which somebody chooses a password: the first one, or a new one.
CREATE TABLE IF NOT EXISTS password_link (
  token_hash CHAR(64) CHARACTER SET ascii NOT NULL PRIMARY KEY,
  user_id INT UNSIGNED NOT NULL,
  ends_at DATETIME(3) NOT NULL,
  KEY password_link_user (user_id),
  CONSTRAINT password_link_of_user FOREIGN KEY (user_id) REFERENCES user (id) ON DELETE CASCADE
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

-- A browser from which somebody signed in before: others who guess at their name do not lock it out.
CREATE TABLE IF NOT EXISTS known_device (
  token_hash CHAR(64) CHARACTER SET ascii NOT NULL,
  user_id INT UNSIGNED NOT NULL,
  seen_at DATETIME(3) NOT NULL,
  PRIMARY KEY (token_hash, user_id),
  CONSTRAINT known_device_of_user FOREIGN KEY (user_id) REFERENCES user (id) ON DELETE CASCADE
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

-- Who signed in, who was refused, whose rights changed: kept apart from the catalogue's history.
CREATE TABLE IF NOT EXISTS access_record (
  id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  at DATETIME(3) NOT NULL DEFAULT UTC_TIMESTAMP(3),
  kind VARCHAR(32) CHARACTER SET ascii NOT NULL,
  actor_id INT UNSIGNED NULL,
  user_id INT UNSIGNED NULL,
  who VARCHAR(254) NOT NULL DEFAULT '',
  origin VARCHAR(64) NOT NULL DEFAULT '',
  agent VARCHAR(200) NOT NULL DEFAULT '',
  detail VARCHAR(200) NOT NULL DEFAULT '',
  KEY access_record_user (user_id, id),
  KEY access_record_at (at)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
