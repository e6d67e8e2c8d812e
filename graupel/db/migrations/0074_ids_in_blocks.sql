-- Whoever makes many goods at once hands out their ids itself, from a block that was taken for it.
CREATE TABLE IF NOT EXISTS id_block (
  name VARCHAR(24) CHARACTER SET ascii NOT NULL PRIMARY KEY,
  reserved BIGINT UNSIGNED NOT NULL DEFAULT 0
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;

INSERT IGNORE INTO id_block (name) VALUES ('goods');

-- Pictures that are still to be fetched know the product that their row made.
ALTER TABLE batch_picture ADD COLUMN IF NOT EXISTS product_id INT UNSIGNED NULL;

UPDATE batch_picture s JOIN batch_row b ON b.batch_id = s.batch_id AND b.line = s.line
LEFT JOIN product p ON p.batch_id = b.batch_id AND p.batch_line = COALESCE(b.lead, b.line)
SET s.product_id = COALESCE(b.product_id, p.id) WHERE s.state IN ('waiting', 'failed');
