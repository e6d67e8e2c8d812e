"""What buyers choose while ordering."""
