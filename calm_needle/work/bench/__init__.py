"""A run at the bench."""
