"""One moment of the project: every value resolved, ready for a renderer or a meter."""
