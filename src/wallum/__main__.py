"""`python -m wallum`: the command line."""

import sys

from wallum.cli import main

sys.exit(main())
