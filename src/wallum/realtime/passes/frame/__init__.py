"""The frame: G-buffer, sampling, inspection views, and the base classes of passes."""
