"""Readers of level files, one folder a format."""
