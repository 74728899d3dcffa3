"""Tests of the core, each stating a law.

Drawn examples are the same on every machine, and no example is timed: a busy machine is no fault of the code.
"""

from hypothesis import settings

settings.register_profile("same everywhere", deadline=None, derandomize=True)
settings.load_profile("same everywhere")
