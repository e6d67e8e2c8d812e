-- A number may always be shown in its unit, whatever region reads it.
ALTER TABLE attribute ADD COLUMN IF NOT EXISTS unit_fixed TINYINT(1) NOT NULL DEFAULT 0;
