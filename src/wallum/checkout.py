"""Where the program lies: in a checkout, or installed; what writes beside it asks here."""

from pathlib import Path
from typing import Final

__all__ = ["PACKAGES", "ROOT"]

# The folder that holds the package, for processes that are started anew.
PACKAGES: Final = Path(__file__).resolve().parents[1]
_CHECKOUT: Final = PACKAGES.parent
# The checkout; where there is none, the folder one works in.
ROOT: Final = _CHECKOUT if (_CHECKOUT / "pyproject.toml").is_file() else Path.cwd()
