"""SQL and nothing else: what was done, kept so that it cannot be lost.

Imports errors only. Functions take the connection first; rows come out as named tuples.
"""
