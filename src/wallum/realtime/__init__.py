"""The real-time picture: a worker process with its own OpenGL context."""
