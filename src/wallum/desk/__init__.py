"""The window. The only package that imports Qt; it asks, shows and edits, and computes nothing."""
