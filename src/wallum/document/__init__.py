"""The project: what the artist authors. Immutable, validated, addressed by paths."""
