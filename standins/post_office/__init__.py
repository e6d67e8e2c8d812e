"""A post office: takes mail on loopback and shows it on a page, instead of sending it anywhere."""
