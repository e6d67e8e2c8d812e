-- What buyers searched in the shop window and did not find.
CREATE TABLE IF NOT EXISTS unfound_search (
  id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  destination VARCHAR(12) CHARACTER SET ascii NOT NULL DEFAULT '',
  lang VARCHAR(12) CHARACTER SET ascii NOT NULL,
  words VARCHAR(100) COLLATE utf8mb4_unicode_ci NOT NULL,
  times INT UNSIGNED NOT NULL DEFAULT 1,
  last_at DATETIME(3) NOT NULL,
  UNIQUE KEY unfound_search_once (destination, lang, words),
  KEY unfound_search_last (last_at)
) ENGINE=InnoDB DEFAULT CHARSET=utf8mb4;
