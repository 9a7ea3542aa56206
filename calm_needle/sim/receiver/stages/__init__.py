"""The links of the chain, a kind a file."""
