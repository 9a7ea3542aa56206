"""Open formats in and out.

Imports core and errors. A file is taken whole or refused whole, with every fault by its path.
"""
