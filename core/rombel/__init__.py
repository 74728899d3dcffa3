"""Rombel's core: sizes node pools over availability zones at least cost, and proves how good the answer is.

Pure values in, pure values out: no web, no database, no clock but the stop-watch of a time limit.
"""

from importlib.metadata import PackageNotFoundError, version

try:
    __version__ = version("rombel")
except PackageNotFoundError:  # run from the source tree without being installed
    __version__ = "0.1.0"

__all__ = ["__version__"]
