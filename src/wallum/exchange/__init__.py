"""Files for others: glTF, EXR, PNG."""
