"""While a level is being opened the processor is for that: what is worked out at rest waits."""

from typing import Protocol

from wallum.desk.jobs.render_link import RenderLink
from wallum.desk.session.files import ProjectFiles
from wallum.desk.session.session import Session
from wallum.moment.evaluate import evaluate

__all__ = ["give_way"]


class _Pausable(Protocol):
    def make_way(self, on: bool) -> None: ...


def give_way(session: Session, files: ProjectFiles, link: RenderLink, parts: tuple[_Pausable, ...]) -> None:
    """Let parts of the window wait from the opening of a level until it has come or was refused."""

    def pause(on: bool) -> None:
        for part in parts:
            part.make_way(on)
        link.let_settle(not on)

    def whole() -> None:
        pause(False)
        # Rays for the probes get the processor first: what settles now would be drawn again.
        link.let_settle(evaluate(session.project, session.playhead.moment).sky is None)

    files.level_opening.connect(lambda _: pause(True))
    files.level_whole.connect(lambda _: whole())
    files.level_failed.connect(lambda _: pause(False))
