"""The picture: view, tools, marks, comparison views."""
