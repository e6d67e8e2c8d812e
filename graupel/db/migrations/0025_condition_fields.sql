-- A condition may ask for any field that the table can be narrowed by, under its own name.
ALTER TABLE goods_condition MODIFY field VARCHAR(64) CHARACTER SET ascii NOT NULL;
