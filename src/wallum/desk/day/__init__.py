"""The day at the desk: ribbon, lanes, hours, and how it is played."""
