"""One module for each family of facts; each lists its kinds as KINDS."""
