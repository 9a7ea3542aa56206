"""Settings of the property tests: the same cases on every run, and no clock."""

from hypothesis import HealthCheck, settings

steady = settings(deadline=None, derandomize=True, database=None, max_examples=100, suppress_health_check=[HealthCheck.too_slow])
# Whoever forgets to say so gets the same: a slow machine is no fault of the code.
settings.register_profile("steady", steady)
settings.load_profile("steady")
