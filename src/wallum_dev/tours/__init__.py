"""The desk driven by itself: the demo, screens, and watches that measure it."""
