-- Whoever says what a kit is made of: two at once could put a kit into a kit.
INSERT IGNORE INTO held (name) VALUES ('kits');
