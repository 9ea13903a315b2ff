"""Render passes of the real-time picture, grouped by what they draw."""
