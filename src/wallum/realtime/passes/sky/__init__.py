"""Sky, clouds and sky visibility."""
