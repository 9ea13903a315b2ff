"""What each pass of a picture did: its time and its work."""

import time
from collections.abc import Iterator
from contextlib import contextmanager

import moderngl

from wallum.frame.record import PassRecord
from wallum.realtime.gl.programs import is_software

__all__ = ["PassLog"]


class PassLog:
    """Collects the passes of one picture.

    On the software driver a finish around each pass gives its time within 2 %; timer queries
    do not there. On hardware a finish would stall the pipeline, so queries are used.

    A picture that is in a hurry is timed as one: on the software driver one pass is made ready
    while another is still drawn, and what they took together stands with the last.
    """

    def __init__(self, context: moderngl.Context) -> None:
        self._context = context
        self._software = is_software(context)
        self._hurry = False
        self.records: list[PassRecord] = []

    def begin(self, hurry: bool = False) -> None:
        """Forget the passes of the picture before; in a hurry, wait for none until `end`."""
        self.records = []
        self._hurry = hurry

    def end(self) -> None:
        """The light of the picture is made: wait for what was not waited for."""
        if self._hurry and self._software and self.records:
            start = time.perf_counter()
            self._context.finish()
            self.records[-1].ms += (time.perf_counter() - start) * 1e3
        self._hurry = False

    @contextmanager
    def measure(self, name: str) -> Iterator[dict[str, int]]:
        """Time one pass; what is written into the yielded dict is its work."""
        record = PassRecord(name)
        if self._software:
            start = time.perf_counter()
            yield record.work
            if not self._hurry:
                self._context.finish()
            record.ms = (time.perf_counter() - start) * 1e3
        else:
            query = self._context.query(time=True)
            with query:
                yield record.work
            record.ms = query.elapsed / 1e6
        self.records.append(record)

    @property
    def total_ms(self) -> float:
        return sum(record.ms for record in self.records)
