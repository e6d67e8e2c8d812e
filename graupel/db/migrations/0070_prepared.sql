-- Acts that were planned and wait for somebody's yes, or for their moment.
CREATE TABLE IF NOT EXISTS prepared (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  title VARCHAR(300) NOT NULL,
  -- Of which kind the change set will be; or, with refers, what is to be done: bulk, file, rollback.
  kind VARCHAR(40) CHARACTER SET ascii NOT NULL,
  refers BIGINT UNSIGNED NULL,
  given TEXT NULL,
  state ENUM('waiting', 'agreed', 'back', 'done', 'withdrawn', 'refused') NOT NULL DEFAULT 'waiting',
  made_by INT UNSIGNED NULL,
  maker VARCHAR(160) NOT NULL,
  made_at DATETIME(3) NOT NULL,
  word VARCHAR(1000) NOT NULL DEFAULT '',
  decided_by INT UNSIGNED NULL,
  decider VARCHAR(160) NOT NULL DEFAULT '',
  role VARCHAR(10) CHARACTER SET ascii NOT NULL DEFAULT '',
  decided_at DATETIME(3) NULL,
  reply VARCHAR(1000) NOT NULL DEFAULT '',
  apply_at DATETIME(3) NULL,
  change_set_id BIGINT UNSIGNED NULL,
  job_id BIGINT UNSIGNED NULL,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  KEY prepared_state (state, apply_at)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

-- What it would write, as the journal has it.
CREATE TABLE IF NOT EXISTS prepared_row (
  prepared_id INT UNSIGNED NOT NULL,
  record_kind VARCHAR(24) CHARACTER SET ascii NOT NULL,
  record_id BIGINT UNSIGNED NOT NULL,
  was LONGTEXT CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NULL,
  became LONGTEXT CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NULL,
  PRIMARY KEY (prepared_id, record_kind, record_id),
  KEY prepared_row_record (record_kind, record_id),
  CONSTRAINT prepared_row_of FOREIGN KEY (prepared_id) REFERENCES prepared (id) ON DELETE CASCADE
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
