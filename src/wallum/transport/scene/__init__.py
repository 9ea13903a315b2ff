"""Geometry and surfaces as rays meet them."""
