"""The level being lit: meshes, surfaces, parts, and the readers that bring them in."""
