-- Channel keys are sealed, and then longer.
ALTER TABLE channel MODIFY secret VARCHAR(1000) NOT NULL;
