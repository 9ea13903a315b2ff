"""The main window, its commands, and what ties panes and views together."""
