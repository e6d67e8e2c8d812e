-- Records that a large change set made, some hundred in a row: [[id, what is noted of it, ...], ...]. What they became
-- is read where it stands already: source_id says in which set of rows.
CREATE TABLE IF NOT EXISTS change_pack (
  change_set_id BIGINT UNSIGNED NOT NULL,
  record_kind VARCHAR(24) CHARACTER SET ascii NOT NULL,
  first_id BIGINT UNSIGNED NOT NULL,
  -- In which stretch of ids they all lie: how the pack of a record is found.
  stretch BIGINT UNSIGNED NOT NULL,
  source_id BIGINT UNSIGNED NOT NULL,
  records INT UNSIGNED NOT NULL,
  made LONGTEXT CHARACTER SET ascii NOT NULL,
  PRIMARY KEY (change_set_id, record_kind, first_id),
  KEY change_pack_stretch (record_kind, stretch),
  CONSTRAINT change_pack_of_set FOREIGN KEY (change_set_id) REFERENCES change_set (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
