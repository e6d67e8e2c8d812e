-- A category may be a page of text and pictures without goods.
ALTER TABLE category MODIFY COLUMN kind ENUM('goods','heading','link','page') NOT NULL DEFAULT 'goods';
