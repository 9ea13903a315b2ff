"""Indirect light: probes, baked light, mirror images, ambient occlusion."""
