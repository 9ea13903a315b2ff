"""What stands beside the picture: sources, values, balance, shots, findings."""
