"""The instruments in use."""
