"""`./wallum speed`: how quick each part is, beside what was asked of it."""
