"""Tollhatch: a till on loopback at which buyers of the demo shop pay; no money moves."""
