"""Generated levels: the demo scenario and small levels for measuring."""
