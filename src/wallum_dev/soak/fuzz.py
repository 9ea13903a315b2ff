"""Mutated files for one reader, with coverage for a guide where atheris is there.

Run as `python -m wallum_dev.soak.fuzz READER FOLDER --runs N --seed S`: libFuzzer, which atheris is made
on, wants a process of its own. What was found lies in FOLDER: a file for each input that made the
reader raise what is no error of ours or take long, and `counts.json`.
"""

import argparse
import hashlib
import json
import logging
import random
import resource
import sys
import time
import traceback
import warnings
from collections.abc import Callable
from pathlib import Path
from typing import Any, Final

__all__ = ["FuzzLog", "main"]

SLOW_S: Final = 3.0
# libFuzzer's own guards, for what no exception tells.
HANG_S, MEMORY_MB = 60, 6000
LARGEST: Final = 1 << 20
WRITTEN_EVERY: Final = 2000


class FuzzLog:
    """Reads inputs and notes what must not happen."""

    def __init__(self, read: Callable[[bytes], object], folder: Path) -> None:
        self._read, self._folder = read, folder
        self.inputs = self.taken = self.refused = self.foreign = self.slow = 0
        self._places: set[str] = set()

    def look(self, data: bytes) -> None:
        """Read one input."""
        from wallum.errors import WallumError

        start = time.perf_counter()
        self.inputs += 1
        try:
            self._read(data)
            self.taken += 1
        except WallumError as error:
            self.refused += 1
            if "\n" in str(error) or len(str(error)) > 2000:
                self._keep(data, "not one sentence", repr(str(error))[:200])
        except Exception as error:
            self.foreign += 1
            at = traceback.extract_tb(error.__traceback__)[-1]
            self._keep(data, type(error).__name__, f"{at.filename}:{at.lineno}")
        spent = time.perf_counter() - start
        if spent > SLOW_S:
            self.slow += 1
            self._keep(data, "slow", f"{spent:.0f} s")
        if self.inputs % WRITTEN_EVERY == 0:
            self.write()

    def _keep(self, data: bytes, kind: str, place: str) -> None:
        if f"{kind} {place}" in self._places:
            return
        self._places.add(f"{kind} {place}")
        name = f"{kind.replace(' ', '-')}-{hashlib.sha256(data).hexdigest()[:12]}"
        (self._folder / name).write_bytes(data)
        (self._folder / f"{name}.txt").write_text(f"{kind}: {place}\n")

    def write(self) -> None:
        """Write the counts down; the process may be ended at any moment."""
        peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024
        counts = {
            "inputs": self.inputs,
            "taken": self.taken,
            "refused": self.refused,
            "foreign": self.foreign,
            "slow": self.slow,
            "peak_mb": peak,
        }
        (self._folder / "counts.json").write_text(json.dumps(counts))


def _guided(watch: FuzzLog, seeds: list[bytes], options: Any) -> None:
    """Let libFuzzer choose by coverage which inputs to go on from; it ends the process."""
    import atheris

    from wallum_dev.soak.mutate import mutated

    corpus = Path(options.folder) / "corpus"
    corpus.mkdir(exist_ok=True)
    for number, data in enumerate(seeds):
        (corpus / f"seed-{number}").write_bytes(data)

    def mutate(data: bytes, most: int, seed: int) -> bytes:
        rng = random.Random(seed)
        if rng.random() < 0.4:
            data = rng.choice(seeds)  # what is broken already tells only of its first fault
        if rng.random() < 0.1:
            return bytes(atheris.Mutate(data, most))
        return mutated(data, rng)[:most]

    def last_of(data: bytes) -> None:
        watch.look(data)
        if watch.inputs >= options.runs:
            watch.write()

    flags = [
        sys.argv[0], f"-runs={options.runs}", f"-seed={options.seed % (1 << 31) + 1}", f"-max_len={LARGEST}",
        f"-timeout={HANG_S}", f"-rss_limit_mb={MEMORY_MB}", f"-artifact_prefix={options.folder}/ended-",
        "-print_final_stats=0", "-verbosity=0", "-len_control=0", "-mutate_depth=1",
        str(corpus),
    ]  # fmt: skip
    atheris.Setup(flags, last_of, custom_mutator=mutate)
    atheris.Fuzz()


def _unguided(watch: FuzzLog, seeds: list[bytes], options: Any) -> None:
    """Mutation without coverage, where atheris is not there."""
    from wallum_dev.soak.mutate import mutated

    rng = random.Random(options.seed)
    pool = list(seeds)
    for _ in range(options.runs):
        data = mutated(rng.choice(pool), rng)[:LARGEST]
        before = watch.taken
        watch.look(data)
        if watch.taken > before and len(pool) < 500:
            pool.append(data)  # what was taken leads to further ones
    watch.write()


def _readers(guided: bool) -> Any:
    if not guided:
        from wallum_dev.soak.readers import READERS

        return READERS
    import atheris

    with atheris.instrument_imports(include=["wallum"]):
        from wallum_dev.soak.readers import READERS
    return READERS


def main() -> int:
    """Read mutated files for as many runs as are asked for."""
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("reader")
    options.add_argument("folder", type=Path)
    options.add_argument("--runs", type=int, default=10_000)
    options.add_argument("--seed", type=int, default=1)
    options.add_argument("--unguided", action="store_true")
    args = options.parse_args()
    args.folder.mkdir(parents=True, exist_ok=True)
    # Traces of what was refused are not wanted here: there are thousands.
    logging.disable(logging.ERROR)
    warnings.simplefilter("ignore")
    try:
        import atheris  # noqa: F401

        guided = not args.unguided
    except ImportError:
        guided = False
    reader = next(item for item in _readers(guided) if item.name == args.reader)
    watch = FuzzLog(reader.read, args.folder)
    (_guided if guided else _unguided)(watch, reader.seeds(), args)
    return 0


if __name__ == "__main__":
    sys.exit(main())
