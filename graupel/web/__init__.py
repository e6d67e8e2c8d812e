"""The frame of the pages: templates, security, errors."""
