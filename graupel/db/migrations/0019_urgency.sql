-- Whom a job keeps waiting: 0 a person, 1 prices and stock elsewhere, 2 nobody.
ALTER TABLE job
  ADD COLUMN IF NOT EXISTS urgency TINYINT UNSIGNED NOT NULL DEFAULT 0 AFTER kind,
  ADD INDEX IF NOT EXISTS job_next (state, urgency, run_after),
  ADD INDEX IF NOT EXISTS job_ended (state, ended_at);
ALTER TABLE job DROP INDEX IF EXISTS job_claim;
