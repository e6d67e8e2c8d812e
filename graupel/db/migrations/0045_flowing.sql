-- Whether all that a change set recorded comes in by itself all day: orders and what they book. What follows from what
-- people write is kept in memory meanwhile.
ALTER TABLE recorded ADD COLUMN IF NOT EXISTS flows BOOLEAN NOT NULL DEFAULT FALSE,
  ADD KEY IF NOT EXISTS recorded_written (flows, no);
