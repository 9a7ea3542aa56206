"""Leading a person through a procedure: where a run is, what the needle says, what to do next."""
