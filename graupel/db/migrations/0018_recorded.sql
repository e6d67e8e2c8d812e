-- Change sets in the order in which they ended: whoever keeps something in memory looks here for what is new.
CREATE TABLE IF NOT EXISTS recorded (
  no BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  change_set_id BIGINT UNSIGNED NOT NULL
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
