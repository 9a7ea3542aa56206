"""The equations of the trade: circuits, levels, noise, frequency, parts. Numbers in, numbers out."""
