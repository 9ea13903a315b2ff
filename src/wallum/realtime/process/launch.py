"""A renderer's process and our end of the channel to it."""

import os
import socket
import subprocess
import sys
from dataclasses import dataclass

from wallum.checkout import PACKAGES
from wallum.realtime.process.channel import Channel

__all__ = ["Launched", "launch"]


@dataclass(frozen=True, slots=True)
class Launched:
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


def launch() -> Launched:
    """Start a process; it makes its OpenGL context, says "ready", and waits to be told of a level."""
    ours, theirs = socket.socketpair(socket.AF_UNIX, socket.SOCK_STREAM)
    command = [sys.executable, "-m", "wallum.realtime.process.worker", str(theirs.fileno())]
    # The process must find this very package, however this one was started.
    paths = [str(PACKAGES), *filter(None, [os.environ.get("PYTHONPATH")])]
    process = subprocess.Popen(
        command,
        pass_fds=[theirs.fileno()],
        stdin=subprocess.DEVNULL,
        env={**os.environ, "PYTHONPATH": os.pathsep.join(paths)},
    )
    theirs.close()
    return Launched(process, Channel(ours))
