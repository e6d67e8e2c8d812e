-- A stored file is a picture, a video or a 3D model; a link is none, but stands in the same lists.
ALTER TABLE media
  ADD COLUMN IF NOT EXISTS kind ENUM('picture','video','model','link') NOT NULL DEFAULT 'picture' AFTER id,
  -- of a link
  ADD COLUMN IF NOT EXISTS address VARCHAR(500) NULL,
  -- the picture that stands for a video, model or link
  ADD COLUMN IF NOT EXISTS poster_id INT UNSIGNED NULL,
  -- how much of a picture's border is white, in hundredths
  ADD COLUMN IF NOT EXISTS border_white TINYINT UNSIGNED NULL,
  ADD COLUMN IF NOT EXISTS duration_ms INT UNSIGNED NULL,
  -- the smaller sizes of a picture, the poster of a video: made in the background
  ADD COLUMN IF NOT EXISTS sizes ENUM('waiting','made','failed') NOT NULL DEFAULT 'waiting',
  ADD COLUMN IF NOT EXISTS version INT UNSIGNED NOT NULL DEFAULT 1,
  ADD KEY IF NOT EXISTS media_kind (kind, id),
  ADD KEY IF NOT EXISTS media_sizes (sizes, id),
  ADD CONSTRAINT media_poster FOREIGN KEY IF NOT EXISTS (poster_id) REFERENCES media (id);

ALTER TABLE picture
  ADD COLUMN IF NOT EXISTS title VARCHAR(200) NOT NULL DEFAULT '',
  ADD FULLTEXT KEY IF NOT EXISTS picture_words (alt, title);

-- Which variants a picture belongs to, one by one or by choice; without any it belongs to all.
CREATE TABLE IF NOT EXISTS picture_for (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  product_id INT UNSIGNED NOT NULL,
  picture_id INT UNSIGNED NOT NULL,
  variant_id INT UNSIGNED NULL,
  choice_id INT UNSIGNED NULL,
  version INT UNSIGNED NOT NULL DEFAULT 1,
  UNIQUE KEY picture_for_one_variant (picture_id, variant_id),
  UNIQUE KEY picture_for_one_choice (picture_id, choice_id),
  CONSTRAINT picture_for_product FOREIGN KEY (product_id) REFERENCES product (id),
  CONSTRAINT picture_for_picture FOREIGN KEY (picture_id) REFERENCES picture (id),
  CONSTRAINT picture_for_variant FOREIGN KEY (variant_id) REFERENCES variant (id),
  CONSTRAINT picture_for_choice FOREIGN KEY (choice_id) REFERENCES attribute_choice (id)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
