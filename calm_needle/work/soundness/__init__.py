"""Use cases before alignment: power, parts, bands, changes."""
