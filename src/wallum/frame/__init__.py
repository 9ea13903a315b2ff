"""What a frame is made of, without any OpenGL: its passes in their order, what each counts, and how finely
it is drawn. The renderer draws by it, the judge foretells by it."""
