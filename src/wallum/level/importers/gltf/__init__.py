"""Reader of glTF 2.0, one module a part of the format."""
