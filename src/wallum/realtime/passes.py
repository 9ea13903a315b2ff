"""What each pass of a picture did: its time and its work."""

import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field

import moderngl

__all__ = ["PassLog", "PassRecord"]


@dataclass
class PassRecord:
    """One pass: milliseconds, and counts of work by name (pixels, triangles, texels, ...)."""

    name: str
    ms: float = 0.0
    work: dict[str, int] = field(default_factory=dict)


class PassLog:
    """Collects the passes of one picture.

    On the software driver a finish around each pass gives its time within 2 %; timer queries
    do not there. On hardware a finish would stall the pipeline, so queries are used.
    """

    def __init__(self, context: moderngl.Context) -> None:
        self._context = context
        self._software = "llvmpipe" in context.info["GL_RENDERER"].lower()
        self.records: list[PassRecord] = []

    def begin(self) -> None:
        """Forget the passes of the picture before."""
        self.records = []

    @contextmanager
    def measure(self, name: str) -> Iterator[dict[str, int]]:
        """Time one pass; what is written into the yielded dict is its work."""
        record = PassRecord(name)
        if self._software:
            start = time.perf_counter()
            yield record.work
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
