"""The passes of a frame, each in a file: its name, what it counts, and how much of it a scene asks for.
Their order stands in wallum.frame.order, what draws them in wallum.realtime.passes."""
