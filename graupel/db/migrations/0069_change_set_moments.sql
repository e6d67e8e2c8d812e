-- What happened since a moment is found by it.
ALTER TABLE change_set ADD KEY IF NOT EXISTS change_set_made_at (made_at);
