"""What draws the passes of a frame; their order and what they count stand in wallum.frame."""
