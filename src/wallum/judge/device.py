"""Device profiles: how long a device takes for what, as a file of coefficients with its origin."""

import json
from dataclasses import dataclass
from functools import lru_cache
from importlib import resources
from pathlib import Path
from typing import Final

from wallum.errors import ProjectProblem
from wallum.faults import reading, said
from wallum.files import read_limited, write_whole, written_whole
from wallum.frame.order import COUNTS
from wallum.limits import PROFILE_BYTES

__all__ = [
    "PROFILE_NAMES",
    "DeviceProfile",
    "check_profile_place",
    "load_profile",
    "parse_profile",
    "read_profile",
    "write_profile",
]

SUFFIX: Final = ".json"
# What a texture's reading costs of a look at probes.
READING: Final = 0.35
PROFILE_NAMES: Final = ("pocket 30", "couch 60", "tower 120")


class _DryRun(Exception):
    """Ends the writing of a file that was only to be tried."""


@dataclass(frozen=True)
class DeviceProfile:
    """Milliseconds for each count of each pass, see frame.order.COUNTS.

    calibrated : whether the coefficients were fitted to times measured on that device
    origin     : where they come from, in words
    """

    name: str
    origin: str
    calibrated: bool
    coefficients: dict[str, dict[str, float]]

    def pass_ms(self, name: str, counts: dict[str, float]) -> float:
        """Time of a pass for its counts [ms]."""
        known = self.coefficients.get(name, {})
        return sum(known.get(count, 0.0) * value for count, value in counts.items())


def parse_profile(text: str, source: str) -> DeviceProfile:
    """A profile from text; `source` names it in errors. Raises ProjectProblem."""
    wanted = "name, origin, calibrated, coefficients_ms"
    with reading(ProjectProblem, "not a device profile", source, wanted):
        data = json.loads(text)
        coefficients = {
            str(name): {str(count): float(value) for count, value in counts.items()}
            for name, counts in data["coefficients_ms"].items()
        }
        profile = DeviceProfile(
            str(data["name"]), str(data["origin"]), bool(data["calibrated"]), coefficients
        )
    # Profiles from before the pass had the field's own name for it.
    if "open sky" in coefficients:
        coefficients.setdefault("sky visibility", coefficients.pop("open sky"))
    # Profiles from before light from surfaces was counted by itself, in the place of the pass about the sky.
    if "sky visibility" in coefficients:
        coefficients.setdefault("probe light", dict(coefficients["sky visibility"]))
    # What is seen of the sky is looked up with the rest of what probes say: measured here that is one pass.
    if "probe light" in coefficients:
        coefficients.setdefault("sky visibility", dict(coefficients["probe light"]))
    # Profiles from before there was baked light: a texture that is read like any other.
    if "probe light" in coefficients:
        messages = {count: READING * value for count, value in coefficients["probe light"].items()}
        coefficients.setdefault("baked light", messages)
    # Profiles from before high cloud was counted with the light that it is drawn in.
    moved = coefficients.get("clouds", {}).pop("cloud pixels", None)
    if moved is not None:
        coefficients.setdefault("light", {}).setdefault("cloud pixels", moved)
    for name, counts in coefficients.items():
        unknown = [count for count in counts if name not in COUNTS or count not in COUNTS[name]]
        if unknown or any(not 0.0 <= value < 1e6 for value in counts.values()):
            raise ProjectProblem(
                f"the pass {name!r} has coefficients that mean nothing", source, "those of frame/passes"
            )
    return profile


def read_profile(path: Path) -> DeviceProfile:
    """A profile from its file. Raises ProjectProblem."""
    data = read_limited(path, PROFILE_BYTES, ProjectProblem)
    with reading(ProjectProblem, "not a device profile", str(path)):
        return parse_profile(data.decode("utf-8"), str(path))


@lru_cache(maxsize=8)
def _stand_in(name: str) -> DeviceProfile:
    file = resources.files("wallum.judge").joinpath(f"profiles/{name.replace(' ', '-')}.json")
    return parse_profile(file.read_text(encoding="utf-8"), name)


def load_profile(name: str) -> DeviceProfile:
    """One of the stand-ins by its name, or a profile by its file. Raises ProjectProblem."""
    if name in PROFILE_NAMES:
        return _stand_in(name)
    if name.endswith(".json"):
        return read_profile(Path(name))
    raise ProjectProblem(
        f"there is no device profile {name!r}",
        "target/profile",
        f"{', '.join(PROFILE_NAMES)} or a .json file",
    )


def write_profile(profile: DeviceProfile, path: Path) -> None:
    """Write a profile as JSON. Raises ProjectProblem."""
    data = {
        "name": profile.name,
        "origin": profile.origin,
        "calibrated": profile.calibrated,
        "coefficients_ms": profile.coefficients,
    }
    try:
        write_whole(path, (json.dumps(data, indent=2) + "\n").encode())
    except OSError as error:
        raise ProjectProblem(f"cannot be written: {said(error)}", str(path)) from None


def check_profile_place(path: Path) -> None:
    """Raises ProjectProblem where a profile could not be written: to be asked before it is measured."""
    if path.suffix.lower() != SUFFIX:
        raise ProjectProblem("not a profile's name", str(path), f"a name that ends in {SUFFIX}")
    if path.exists():
        read_profile(path)  # only a profile is written over
    try:
        with written_whole(path):
            raise _DryRun
    except _DryRun:
        return
    except OSError as error:
        raise ProjectProblem(f"cannot be written: {said(error)}", str(path)) from None
