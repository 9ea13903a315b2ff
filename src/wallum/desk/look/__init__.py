"""What the desk shows of the look: its curves, its scopes, how far it moves the picture."""
