"""OpenGL as the passes use it: programs, targets, views, times."""
