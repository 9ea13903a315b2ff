"""A renderer's process and our end of the channel to it."""

import os
import socket
import subprocess
import sys
from dataclasses import dataclass
from typing import Final

from wallum.checkout import PACKAGES
from wallum.realtime.process.channel import Channel

__all__ = ["SPARE", "RendererProcess", "launch"]

SPARE: Final = "spare"


@dataclass(frozen=True, slots=True)
class RendererProcess:
    """One process, which serves until its channel closes."""

    process: subprocess.Popen[bytes]
    channel: Channel

    @property
    def alive(self) -> bool:
        return self.process.poll() is None

    def end(self) -> None:
        """End it. It holds nothing that is not held here as well: nobody waits for what it is about."""
        self.channel.close()
        self.process.kill()
        self.process.wait()


def launch(spare: bool = False) -> RendererProcess:
    """Start a process, which serves its channel.

    spare : it makes its OpenGL context and no more until it is told something
    """
    ours, theirs = socket.socketpair(socket.AF_UNIX, socket.SOCK_STREAM)
    options = [str(theirs.fileno()), *([SPARE] if spare else [])]
    # The process must find this very package, however this one was started.
    paths = [str(PACKAGES), *filter(None, [os.environ.get("PYTHONPATH")])]
    process = subprocess.Popen(
        [sys.executable, "-m", "wallum.realtime.process.worker", *options],
        pass_fds=[theirs.fileno()],
        stdin=subprocess.DEVNULL,
        env={**os.environ, "PYTHONPATH": os.pathsep.join(paths)},
    )
    theirs.close()
    return RendererProcess(process, Channel(ours))
