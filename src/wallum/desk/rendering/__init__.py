"""What is asked of the renderer and of rays, when, and what comes of it."""
