"""Developer tools: speed, soak, tours and checks. They are no part of the installed program."""
