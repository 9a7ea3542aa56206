"""Whether a set may be aligned at all: started safely, parts and bands sound, changes tested."""
