"""Changes that were planned and wait for a yes or for their moment."""
