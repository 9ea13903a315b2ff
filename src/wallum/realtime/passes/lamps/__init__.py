"""Direct light of sun, moon and lamps."""
