"""What waits for the artist's answer: unsaved work that was found, a file that another has written,
a level that has changed on disk."""

from collections.abc import Sequence
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from wallum.desk.jobs.loading import LoadedLevel
from wallum.desk.session.files import ProjectFiles
from wallum.desk.session.receiving import Receiver
from wallum.desk.session.session import Session
from wallum.desk.widgets.bar import Offers
from wallum.desk.widgets.sheet import Line, Sheet
from wallum.document.autosave import Recovery, forget
from wallum.document.fit import LevelFit
from wallum.document.storage import load
from wallum.document.variants import differences
from wallum.errors import WallumError
from wallum.level.model.level_fit import FIT_KIND, guess_fit
from wallum.level.model.model import Finding

__all__ = ["ProjectOffers"]

UNSAVED, WRITTEN, LEVEL = "unsaved work", "another writer", "level on disk"
ELSEWHERE, FIT = "level elsewhere", "how the level lies"


class ProjectOffers(QObject):
    """Makes the offers and does what is answered. Nothing is let go of before it is answered."""

    recovered = pyqtSignal()  # unsaved work was taken on

    def __init__(
        self, session: Session, files: ProjectFiles, receiver: Receiver, offers: Offers, sheet: Sheet
    ) -> None:
        super().__init__(offers)
        self._session, self._files, self._receiver = session, files, receiver
        self._offers, self._sheet = offers, sheet
        self._found: list[Recovery] = []
        files.recovery_found.connect(self._offer_unsaved)
        session.keeping.other_writer.connect(self._offer_choice)
        receiver.changed_on_disk.connect(self._offer_level)
        files.level_elsewhere.connect(self._offer_elsewhere)
        files.level_opening.connect(self._level_opening)
        files.level_ready.connect(self._offer_fit)

    # -- unsaved work --------------------------------------------------------------------

    def _offer_unsaved(self, found: list[Recovery]) -> None:
        self._found = list(found)
        if not found:
            # What belongs to another project stays where it is kept.
            self._offers.withdraw(UNSAVED)
            self._offers.withdraw(WRITTEN)
            return
        later = ("Later", lambda: self._session.told.emit("It stays kept, and is offered again"))
        if len(found) == 1:
            item = found[0]
            self._offers.make(
                UNSAVED,
                f"Wallum did not end in order. Unsaved work was kept: {item.text}.",
                ("Go on with it", lambda: self._take(item)),
                ("Forget it", lambda: self._forget([item])),
                later,
            )
            return
        text = f"Wallum did not end in order. Unsaved work of {len(found)} sittings was kept."
        self._offers.make(UNSAVED, text, ("Show it", self._show_unsaved), later)

    def _show_unsaved(self) -> None:
        # It stays on offer while the list is looked at.
        self._offer_unsaved(self._found)
        lines = [Line(item.text, "", str(number), False) for number, item in enumerate(self._found)]
        buttons = [
            ("Go on with what is ticked", self._take_ticked),
            ("Forget what is ticked", self._forget_ticked),
        ]
        self._sheet.open("Unsaved work", lines, buttons)

    def _ticked(self) -> list[Recovery]:
        return [self._found[int(key)] for key in self._sheet.ticked()]

    def _take_ticked(self) -> None:
        ticked = self._ticked()
        if len(ticked) == 1:
            self._take(ticked[0])
        else:
            self._session.told.emit("Tick the one to go on with")

    def _forget_ticked(self) -> None:
        self._forget(self._ticked())

    def _rest(self, gone: list[Recovery]) -> None:
        rest = [item for item in self._found if item not in gone]
        self._found = rest
        if rest:
            self._offer_unsaved(rest)
        else:
            self._offers.withdraw(UNSAVED)

    def _take(self, found: Recovery) -> None:
        rest = list(self._found)
        self._files.recover(found)
        self._found = rest  # opening its level let go of the list
        taken = [] if found.path.exists() else [found]
        self._rest(taken)
        self.recovered.emit()

    def _forget(self, found: list[Recovery]) -> None:
        for item in found:
            forget(item)
        self._rest(found)

    # -- another writer ------------------------------------------------------------------

    def _offer_choice(self, file: Path) -> None:
        self._offers.make(
            WRITTEN,
            f"{file.name} was not saved: another has changed it since you opened it.",
            ("Keep mine", lambda: self._files.save_to(file, over=True)),
            ("Take theirs", lambda: self._files.take_theirs(file)),
            ("See what differs", lambda: self._show_differences(file)),
            ("Save beside", lambda: self._files.save_beside(file)),
        )

    def _show_differences(self, file: Path) -> None:
        self._offer_choice(file)  # looking is no answer
        try:
            theirs = load(file)
        except WallumError as error:
            self._session.failed.emit(str(error))
            return
        mine = self._session.history.present
        messages = differences(theirs, mine)
        messages += [
            f"{title} differ"
            for name, title in (
                ("shots", "the shots"),
                ("variants", "the variants"),
                ("setting", "place and date"),
            )
            if getattr(theirs, name) != getattr(mine, name)
        ]
        lines = [Line(item) for item in messages] or [Line("The two say the same")]
        self._sheet.open(f"From {file.name} as it is on disk to what is here", lines)

    # -- the level -----------------------------------------------------------------------

    def _level_opening(self, _: str) -> None:
        self._offers.withdraw(LEVEL)
        self._offers.withdraw(ELSEWHERE)
        self._offers.withdraw(FIT)

    def _offer_elsewhere(self, level: Path) -> None:
        self._offers.make(
            ELSEWHERE,
            f"The project names a level outside its own folder: {level}. It is read once you say so.",
            ("Read it from there", self._files.read_from_there),
            ("Leave it", lambda: None),
        )

    def _offer_fit(self, loaded: LoadedLevel) -> None:
        guess = guess_fit(loaded.plain)
        if guess is None or self._session.project.level_fit != LevelFit():
            return
        fit = guess.fit
        self._offers.make(
            FIT,
            f"The level is likely {guess.likely}: {guess.told_by}. Lamps and shots go with it.",
            (
                "Take it as such",
                lambda: self._session.set_all(
                    "how the level lies", {"level_fit/scale": fit.scale, "level_fit/up": fit.up}
                ),
            ),
            ("It is right", lambda: None),
        )

    def not_offered(self, findings: Sequence[Finding]) -> list[Finding]:
        """Findings of a level without what an offer asks already."""
        return [
            finding for finding in findings if not (finding.kind == FIT_KIND and FIT in self._offers.texts)
        ]

    def _offer_level(self, name: str) -> None:
        self._offers.make(
            LEVEL,
            f"{name} has changed on disk.",
            ("Receive it", self._receiver.receive),
            ("Not now", lambda: None),
        )
