"""The kinds of step. One module for each; `table` lists them, and nobody else asks for a kind's name."""
