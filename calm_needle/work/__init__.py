"""What a person does, across the layers: a job, a run, a record.

The only layer that knows core, sim, bench, store and files at once. Knows nothing of pages.
"""
