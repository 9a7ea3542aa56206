"""The description of a type of receiver, read and checked."""
