"""Run the command line: ``python -m rombel``."""

import sys

from rombel.cli import main

if __name__ == "__main__":
    sys.exit(main())
