"""Where everything that goes wrong ends: one sentence for the person, the trace in a log for us.

`reading` turns whatever a reader raises into an error of ours; `keep_log` gives the log its file.
"""

import logging
import os
import re
from collections.abc import Iterator
from contextlib import contextmanager
from logging.handlers import RotatingFileHandler
from pathlib import Path
from typing import Final

from wallum.errors import FaultProblem, WallumError
from wallum.user_folders import state_folder

__all__ = ["fault_of", "keep_log", "log_file", "reading", "said"]

log = logging.getLogger("wallum.faults")

LOG_BYTES: Final = 512 << 10
OLD_LOGS: Final = 2
LONGEST_SAID: Final = 200
ADDRESS: Final = re.compile(r"\s+(?:object )?at 0x[0-9a-fA-F]+")


def log_file() -> Path:
    """The file that traces go to."""
    return state_folder() / "log" / "wallum.log"


def keep_log() -> None:
    """Let warnings and traces go to the log's file too; it is made with the first of them.

    A folder that cannot be written leaves what is told on standard error.
    """
    logger = logging.getLogger("wallum")
    wanted = str(log_file())
    for handler in list(logger.handlers):
        if isinstance(handler, RotatingFileHandler):
            if handler.baseFilename == os.path.abspath(wanted):
                return
            logger.removeHandler(handler)
            handler.close()
    try:
        log_file().parent.mkdir(parents=True, exist_ok=True)
        handler = RotatingFileHandler(
            wanted, "a", LOG_BYTES, OLD_LOGS, encoding="utf-8", delay=True, errors="backslashreplace"
        )
    except OSError:
        return
    handler.setLevel(logging.INFO)
    handler.setFormatter(logging.Formatter("%(asctime)s %(process)d %(name)s %(levelname)s %(message)s"))
    logger.addHandler(handler)
    logger.setLevel(logging.INFO)
    # Without a root handler Python would print the file's lines to standard error too.
    logger.propagate = bool(logging.getLogger().handlers)


def said(error: BaseException) -> str:
    """What an error of any kind says, as a part of one sentence: short, without addresses."""
    if isinstance(error, RecursionError):
        return "it is nested too deeply"
    if isinstance(error, MemoryError):
        return "it asks for more memory than there is"
    if isinstance(error, UnicodeError):
        return "its text is not UTF-8"
    if isinstance(error, OSError) and error.strerror:
        return error.strerror
    text = ADDRESS.sub("", " ".join(str(error).split()))
    if isinstance(error, KeyError):
        text = f"{text} is missing"
    if len(text) > LONGEST_SAID:
        text = f"{text[:LONGEST_SAID]} ..."
    return text or type(error).__name__


@contextmanager
def reading(kind: type[WallumError], what: str, where: str, expected: str = "") -> Iterator[None]:
    """Whatever is raised inside comes out as `kind`, in one sentence that begins with `what`.

    For what reads files: their makers are strangers, and packages raise of every kind. Errors of
    ours pass as they are; the trace of others goes to the log.
    """
    try:
        yield
    except WallumError:
        raise
    except Exception as error:
        if not isinstance(error, OSError):
            log.info("%s: %s", where, what, exc_info=True)
        raise kind(f"{what}: {said(error)}", where, expected) from error


def fault_of(error: BaseException, doing: str) -> FaultProblem:
    """A fault of ours as one sentence, its trace in the log."""
    log.error("%s failed", doing, exc_info=error)
    kind = type(error).__name__
    return FaultProblem(
        f"{doing} failed: a fault of Wallum's own ({kind}: {said(error)}); the trace is in {log_file()}"
    )
