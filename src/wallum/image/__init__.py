"""From light to a picture, in NumPy."""
