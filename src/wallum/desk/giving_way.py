"""While a level is being opened the processor is for that: what is worked out at rest waits."""

from typing import Protocol

from wallum.desk.files import ProjectFiles
from wallum.desk.render_link import RenderLink

__all__ = ["give_way"]


class _GivesWay(Protocol):
    def make_way(self, on: bool) -> None: ...


def give_way(files: ProjectFiles, link: RenderLink, parts: tuple[_GivesWay, ...]) -> None:
    """Let parts of the window wait from the opening of a level until it has come or was refused."""

    def pause(on: bool) -> None:
        for part in parts:
            part.make_way(on)
        link.let_settle(not on)

    files.level_opening.connect(lambda _: pause(True))
    for over in (files.level_ready, files.level_failed):
        over.connect(lambda _: pause(False))
