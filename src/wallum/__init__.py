"""Wallum: compose the light of a real-time 3D level, in physical units."""

import os

# Work is shared out to threads of our own, and to a driver's: a product that numpy splits waits for a
# processor that is at work elsewhere. To be set before numpy is loaded; what somebody has set stays.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

__version__ = "0.1.0"
