"""Light that comes back from surfaces: probes on them, what each sees of the others, and their light."""
