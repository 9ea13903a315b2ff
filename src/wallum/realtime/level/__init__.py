"""A level packed for the graphics card, and drawn there."""
