"""Readers of textures, panoramas and colour tables."""
