-- By what else rows of files may mean goods: part numbers, an attribute (fact-12), or product code and choices.
ALTER TABLE import_file MODIFY key_by VARCHAR(16) CHARACTER SET ascii NOT NULL DEFAULT 'sku';
ALTER TABLE import_profile MODIFY key_by VARCHAR(16) CHARACTER SET ascii NOT NULL DEFAULT 'sku';
