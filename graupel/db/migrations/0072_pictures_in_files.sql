-- What the rows of a file say of pictures, what is to become of those of its products, and where files came from.
ALTER TABLE batch_row ADD COLUMN IF NOT EXISTS pictures MEDIUMTEXT NULL;

CREATE TABLE IF NOT EXISTS batch_picture (
  batch_id BIGINT UNSIGNED NOT NULL,
  line INT UNSIGNED NOT NULL,
  place SMALLINT UNSIGNED NOT NULL,
  -- Of the library; NULL where it is still to be fetched from the address, and where none is left.
  media_id INT UNSIGNED NULL,
  address VARCHAR(2000) NULL,
  address_key CHAR(64) CHARACTER SET ascii NULL,
  alt VARCHAR(300) NOT NULL DEFAULT '',
  -- The variants that show it, as ids "v12" and lines "l5"; NULL: all.
  shown TEXT CHARACTER SET ascii NULL,
  state ENUM('there', 'waiting', 'fetched', 'failed', 'none') NOT NULL DEFAULT 'there',
  tries TINYINT UNSIGNED NOT NULL DEFAULT 0,
  due_at DATETIME(3) NULL,
  said VARCHAR(300) NOT NULL DEFAULT '',
  PRIMARY KEY (batch_id, line, place),
  KEY batch_picture_state (batch_id, state, address_key)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

CREATE TABLE IF NOT EXISTS media_source (
  address_key CHAR(64) CHARACTER SET ascii NOT NULL PRIMARY KEY,
  media_id INT UNSIGNED NOT NULL,
  fetched_at DATETIME(3) NOT NULL,
  KEY media_source_media (media_id),
  CONSTRAINT media_source_of FOREIGN KEY (media_id) REFERENCES media (id) ON DELETE CASCADE
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

-- An act that another one brought with it later: it goes back before that.
ALTER TABLE change_set ADD COLUMN IF NOT EXISTS part_of BIGINT UNSIGNED NULL,
  ADD KEY IF NOT EXISTS change_set_part_of (part_of);

ALTER TABLE import_file ADD COLUMN IF NOT EXISTS picture_job_id BIGINT UNSIGNED NULL;
