"""Where data goes that is computed from a project and can always be computed again."""

from pathlib import Path

from wallum.user_folders import cache_folder

__all__ = ["derived_folder"]


def derived_folder(project_file: Path | None) -> Path:
    """The folder beside a project; for one that has no file, a folder of the user's cache."""
    if project_file is not None:
        return project_file.with_name(f"{project_file.stem}.derived")
    return cache_folder()
