"""The facts of a job: what somebody found, did or decided, and what of it is true now."""
