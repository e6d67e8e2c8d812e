"""Ostlerby, a made-up market hall: sellers offer articles, the hall reviews them."""
