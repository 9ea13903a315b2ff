"""Folders of the user for state, settings and derived data, by the XDG base directory specification."""

from pathlib import Path

import platformdirs

__all__ = ["cache_folder", "config_folder", "state_folder"]

NAME = "wallum"


def state_folder() -> Path:
    """Folder for logs and unsaved work of this user on this machine."""
    return platformdirs.user_state_path(NAME)


def config_folder() -> Path:
    """Folder for the settings of the desk."""
    return platformdirs.user_config_path(NAME)


def cache_folder() -> Path:
    """Folder for derived data that can always be computed again."""
    return platformdirs.user_cache_path(NAME)
