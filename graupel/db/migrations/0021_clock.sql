-- How far time has been played, for each thing that changes by the clock.
CREATE TABLE IF NOT EXISTS clock (
  name VARCHAR(40) CHARACTER SET ascii NOT NULL PRIMARY KEY,
  reached DATETIME(3) NOT NULL
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
