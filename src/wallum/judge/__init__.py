"""What light gives and costs, and what is noticed about it."""
