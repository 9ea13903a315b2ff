"""Data of a level, and what is derived from it without reading files."""
