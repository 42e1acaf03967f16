"""Entry point of ``python -m arabesque``."""

import sys

from arabesque.cli import main

if __name__ == "__main__":
    sys.exit(main())
