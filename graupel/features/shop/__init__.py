"""The shop window: what buyers see of what is live."""
