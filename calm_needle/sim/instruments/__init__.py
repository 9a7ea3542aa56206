"""Stand-in instruments: they answer SCPI lines, keep an error queue, and have errors of their own."""
