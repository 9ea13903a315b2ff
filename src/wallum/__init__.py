"""Wallum: compose the light of a real-time 3D level, in physical units."""

__version__ = "0.1.0"
