"""The open project and level: edits, undo, selection, playhead, files, background work."""
