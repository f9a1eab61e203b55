"""Tests: they mirror the package, and drive the built program on real files."""

from hypothesis import settings

# No test is timed: a machine that is busy with other work must not fail one.
settings.register_profile("untimed", deadline=None)
settings.load_profile("untimed")
