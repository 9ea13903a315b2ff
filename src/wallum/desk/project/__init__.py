"""The project at the desk: the session, its files, and what is done with its sources and parts."""
