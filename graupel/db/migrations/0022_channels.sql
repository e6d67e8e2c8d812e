ALTER TABLE channel
  ADD COLUMN IF NOT EXISTS silent_since DATETIME(3) NULL;

ALTER TABLE listing
  ADD COLUMN IF NOT EXISTS asked INT UNSIGNED NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS held_by BIGINT UNSIGNED NULL,
  ADD COLUMN IF NOT EXISTS held_until DATETIME(3) NULL,
  ADD COLUMN IF NOT EXISTS held_back BOOL NOT NULL DEFAULT FALSE,
  ADD COLUMN IF NOT EXISTS looks SMALLINT UNSIGNED NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS look_at DATETIME(3) NULL,
  ADD COLUMN IF NOT EXISTS on_sale_as_of DATETIME(3) NULL,
  ADD KEY IF NOT EXISTS listing_page (channel_id, id),
  ADD KEY IF NOT EXISTS listing_in_state (channel_id, state, id),
  ADD KEY IF NOT EXISTS listing_behind (channel_id, stale, held_back, id),
  ADD KEY IF NOT EXISTS listing_look (look_at, channel_id);

ALTER TABLE listing DROP KEY IF EXISTS listing_state;

UPDATE listing SET on_sale_as_of = sent_at WHERE state = 'on_sale' AND on_sale_as_of IS NULL;

UPDATE listing SET look_at = UTC_TIMESTAMP(3) WHERE state = 'review' AND look_at IS NULL;
