"""What was done, as the record shows it."""
