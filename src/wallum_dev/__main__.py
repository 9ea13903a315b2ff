"""`python -m wallum_dev`: the command line of a checkout, with the developer's commands."""

import sys

from wallum.__main__ import run
from wallum_dev import commands

__all__ = ["commands"]

if __name__ == "__main__":
    sys.exit(run())
