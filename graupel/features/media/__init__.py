"""Stored files: pictures in their sizes."""
