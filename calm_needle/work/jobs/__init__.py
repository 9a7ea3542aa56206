"""Use cases of the shelf and of a job."""
