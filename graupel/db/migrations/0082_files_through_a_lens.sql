-- Files that go out as a destination and a language show the goods: the lens as an address carries it, such as s2.de.
ALTER TABLE export_file ADD COLUMN IF NOT EXISTS
  lens VARCHAR(24) CHARACTER SET ascii NOT NULL DEFAULT '' AFTER query;
ALTER TABLE file_outlet ADD COLUMN IF NOT EXISTS
  lens VARCHAR(24) CHARACTER SET ascii NOT NULL DEFAULT '' AFTER query;
