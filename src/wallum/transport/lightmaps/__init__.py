"""Baked light: what comes to each texel of a level's surfaces, worked out once by paths."""
