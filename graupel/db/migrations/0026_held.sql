-- What is changed by one transaction at a time, whichever node of a cluster it runs on: whoever changes it writes its row
-- first. A lock alone would hold on its own node only.
CREATE TABLE IF NOT EXISTS held (
  name VARCHAR(30) CHARACTER SET ascii NOT NULL PRIMARY KEY,
  times BIGINT UNSIGNED NOT NULL DEFAULT 0
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
INSERT IGNORE INTO held (name) VALUES ('trees');
