"""The picture, what is drawn over it, and the tools that work on it."""
