"""Threads and processes that work beside the window."""
