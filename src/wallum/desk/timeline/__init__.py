"""The day: ribbon, lanes, contact sheet of hours."""
