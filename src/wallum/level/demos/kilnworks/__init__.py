"""Copperfold Kilnworks: the demo level, made here from seeds; nothing of it is read from disk."""
