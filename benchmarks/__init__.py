"""The speed figures: `./run bench [NAME …]`. Each prints what was done, how often, and medians; none fails a test."""
