"""People, their sessions, and tokens for programs."""
