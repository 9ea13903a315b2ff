"""Shadow maps of the sun and of lamps."""
