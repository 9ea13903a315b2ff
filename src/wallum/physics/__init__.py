"""Pure functions on arrays: light in its units. Imports nothing of ours but errors."""
