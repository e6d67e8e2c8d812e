"""What is in force in this installation: read here, set in the server's environment."""
