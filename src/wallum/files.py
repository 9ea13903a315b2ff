"""Files: read within limits, named from within their folder, written whole, by one writer at a time.

A file that is written stands at its place whole or not at all; what was there keeps its mode, and a
link stays a link. Parts that a killed writer left behind go at the next write into their folder.
"""

import errno
import fcntl
import os
import secrets
import stat
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Final
from urllib.parse import unquote

from wallum.errors import ValueProblem, WallumError

__all__ = ["changed_at", "inside", "locked", "read_limited", "refuse_inputs", "write_whole", "written_whole"]

PART: Final = ".wallum-"
PART_END: Final = ".part"
LOCK_PATIENCE_S, LOCK_PAUSE_S = 30.0, 0.01
NEW_MODE: Final = 0o666
SIZE_WORDS: Final = ((1 << 30, "GB"), (1 << 20, "MB"), (1 << 10, "kB"))


def _size(count: int) -> str:
    unit, word = next((item for item in SIZE_WORDS if count >= item[0]), (1, "bytes"))
    return f"{count / unit:.3g} {word}"


# -- reading ---------------------------------------------------------------------------------------


def changed_at(path: Path, kind: type[WallumError]) -> int:
    """When a file changed last [ns]. Raises `kind`."""
    try:
        return path.stat().st_mtime_ns
    except OSError as error:
        raise kind(f"cannot be read: {error.strerror}", str(path)) from None
    except ValueError:  # a name with NUL in it, or half a character
        raise kind("is no name that a file can have", str(path)) from None


def read_limited(path: Path, limit: int, kind: type[WallumError]) -> bytes:
    """The bytes of a regular file of at most `limit` bytes. Raises `kind`."""
    try:
        # Opening a pipe that no one writes would wait for ever.
        descriptor = os.open(path, os.O_RDONLY | os.O_CLOEXEC | os.O_NONBLOCK)
    except FileNotFoundError:
        raise kind("there is no such file", str(path)) from None
    except OSError as error:
        raise kind(f"cannot be read: {error.strerror}", str(path)) from None
    except ValueError:  # a name with NUL in it, or half a character
        raise kind("is no name that a file can have", str(path)) from None
    fstat = os.fstat(descriptor)
    if not stat.S_ISREG(fstat.st_mode):
        os.close(descriptor)
        raise kind("is not a regular file", str(path))
    with open(descriptor, "rb") as stream:
        if fstat.st_size > limit:
            raise kind(f"is too large ({_size(fstat.st_size)})", str(path), f"at most {_size(limit)}")
        try:
            data = stream.read(limit + 1)
        except OSError as error:
            raise kind(f"cannot be read: {error.strerror}", str(path)) from None
    if len(data) > limit:
        raise kind("is too large", str(path), f"at most {_size(limit)}")
    return data


def inside(folder: Path, name: str, kind: type[WallumError]) -> Path:
    """The file that a file in `folder` names: in that folder or below, links followed to their ends.

    name : as a URI has it; %2e and the like are read. Raises `kind` for anything else.
    """
    plain = unquote(name)
    if "\0" in plain:
        raise kind(f"{name!r} is no name that a file can have")
    base = os.path.realpath(folder)
    try:
        realpath = os.path.realpath(os.path.join(base, plain))
    except (OSError, ValueError):
        raise kind(f"{name!r} is no name that a file can have") from None
    if plain.startswith(("/", "~")) or not Path(realpath).is_relative_to(base):
        raise kind(f"{name!r} lies outside the folder of what names it", "", "a file in its folder or below")
    return Path(realpath)


# -- writing ---------------------------------------------------------------------------------------


def refuse_inputs(out: Path, inputs: list[Path], kind: type[WallumError]) -> None:
    """Raises `kind` where a file that is to be written is one of those that are read."""
    for input_ in inputs:
        with suppress(OSError):
            if out.exists() and os.path.samefile(out, input_):
                raise kind("would be written over, and it is read for this", str(out), "another name")


def _old_mode(target: str) -> int | None:
    """Mode of the file that stands at a place, None for none. Raises OSError where it is read-only."""
    try:
        result = os.stat(target)
    except FileNotFoundError:
        return None
    if stat.S_ISDIR(result.st_mode):
        raise IsADirectoryError(errno.EISDIR, os.strerror(errno.EISDIR), target)
    # The administrator may write anything; a file that says read-only is meant so all the same.
    if not result.st_mode & 0o222 or not os.access(target, os.W_OK):
        raise PermissionError(errno.EACCES, "it is read-only", target)
    return stat.S_IMODE(result.st_mode)


def _sweep(folder: str) -> None:
    """Remove parts that no living writer holds."""
    with suppress(OSError), os.scandir(folder) as scandir:
        names = [item.path for item in scandir if item.name.startswith(PART) and PART_END in item.name]
        for name in names:
            with suppress(OSError):
                descriptor = os.open(name, os.O_RDONLY | os.O_CLOEXEC | os.O_NOFOLLOW)
                try:
                    fcntl.flock(descriptor, fcntl.LOCK_EX | fcntl.LOCK_NB)
                    os.unlink(name)
                finally:
                    os.close(descriptor)


def _part(folder: str, suffix: str) -> tuple[int, str]:
    """A new file that this writer holds, and its name."""
    while True:
        # A short name of its own: the name that is wanted may be as long as the system allows.
        name = os.path.join(folder, f"{PART}{secrets.token_hex(6)}{PART_END}{suffix}")
        descriptor = os.open(name, os.O_RDWR | os.O_CREAT | os.O_EXCL | os.O_CLOEXEC, NEW_MODE)
        with suppress(OSError):  # a file system without locks has no sweepers either
            fcntl.flock(descriptor, fcntl.LOCK_EX)
        if os.path.exists(name):  # a sweep may have come between the two
            return descriptor, name
        os.close(descriptor)


@contextmanager
def written_whole(path: Path) -> Iterator[Path]:
    """Where to write what is to stand at `path`; it is put there at the end, or not at all.

    Whatever fails, the file that was there is untouched and no part is left. Raises OSError.
    """
    try:
        target = os.path.realpath(path)
        mode = _old_mode(target)
    except ValueError:
        raise OSError(errno.EINVAL, "is no name that a file can have", str(path)) from None
    folder = os.path.dirname(target)
    if len(os.fsencode(os.path.basename(target))) > os.pathconf(folder, "PC_NAME_MAX"):
        raise OSError(errno.ENAMETOOLONG, os.strerror(errno.ENAMETOOLONG), str(path))
    _sweep(folder)
    descriptor, part = _part(folder, os.path.splitext(target)[1][:16])
    try:
        yield Path(part)
        if mode is not None:
            os.chmod(part, mode)
        os.fsync(descriptor)
        os.replace(part, target)
    except BaseException:
        with suppress(OSError):
            os.unlink(part)
        raise
    finally:
        os.close(descriptor)
    _sync(folder)


def _sync(folder: str) -> None:
    descriptor = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
    try:
        os.fsync(descriptor)
    finally:
        os.close(descriptor)


def write_whole(path: Path, data: bytes) -> None:
    """Put `data` at `path`, whole or not at all. Raises OSError."""
    with written_whole(path) as part, open(part, "r+b") as stream:
        stream.write(data)


@contextmanager
def locked(path: Path, kind: type[WallumError] = ValueProblem) -> Iterator[None]:
    """Be the only one that reads and writes the file at `path` in turn. Raises `kind`.

    The folder itself is what is locked: nothing is left behind, and a file that is put in the
    place of another does not take the lock with it.
    """
    try:
        descriptor = os.open(os.path.dirname(os.path.realpath(path)), os.O_RDONLY | os.O_DIRECTORY)
    except (OSError, ValueError) as error:
        raise kind(f"its folder cannot be opened: {getattr(error, 'strerror', error)}", str(path)) from None
    try:
        until = time.monotonic() + LOCK_PATIENCE_S
        while True:
            try:
                fcntl.flock(descriptor, fcntl.LOCK_EX | fcntl.LOCK_NB)
                break
            except BlockingIOError:
                if time.monotonic() > until:
                    raise kind("another program is writing in its folder", str(path)) from None
                time.sleep(LOCK_PAUSE_S)
            except OSError:  # a file system without locks: one writer is all it is made for
                break
        yield
    finally:
        os.close(descriptor)
