"""Small widgets, each one quantity or one gesture; they know no project."""
