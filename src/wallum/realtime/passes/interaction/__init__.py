"""What changes while a hand drags: resolution, reuse of passes, accumulation at rest."""
