-- An act that a page or a program marked with a key: where it comes again, the answer to the first is given again.
-- ``commits`` moves in the act's own transactions, so a repetition knows what was done even where no answer was kept.
CREATE TABLE IF NOT EXISTS act (
  mark BINARY(32) NOT NULL PRIMARY KEY,
  claim BINARY(16) NOT NULL,
  began_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  commits INT UNSIGNED NOT NULL DEFAULT 0,
  asked BINARY(32) NULL,
  status SMALLINT UNSIGNED NULL,
  headers TEXT NULL,
  body MEDIUMBLOB NULL,
  KEY act_began (began_at)
) ENGINE=InnoDB;
