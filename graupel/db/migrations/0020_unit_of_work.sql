-- A mark of each transaction that wrote: by it a second try knows that the first one was committed after all.
CREATE TABLE IF NOT EXISTS unit_of_work (
  mark BINARY(16) NOT NULL PRIMARY KEY,
  made_at DATETIME NOT NULL DEFAULT CURRENT_TIMESTAMP,
  KEY unit_of_work_made (made_at)
) ENGINE=InnoDB;
