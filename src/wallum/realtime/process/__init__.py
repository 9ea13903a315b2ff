"""The renderer as a process: what is asked of it, and how that gets there and back."""
