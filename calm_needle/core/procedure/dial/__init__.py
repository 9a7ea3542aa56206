"""The dial of a band: what its dossier says of it, what was read, what to do about it, and the steps that do it."""
