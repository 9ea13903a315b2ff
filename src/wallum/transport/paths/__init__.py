"""The reference picture: path tracing with next event estimation."""
