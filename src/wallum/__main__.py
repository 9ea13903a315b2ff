"""`python -m wallum`: the command line."""

import os
import sys

from wallum.cli.main import main


def _only_the_document() -> None:
    """With --json, let nothing but the document reach standard output: what packages print of their
    own accord, from whatever language, goes to standard error."""
    if "--json" in sys.argv:
        sys.stdout.flush()
        document = os.dup(1)
        os.dup2(2, 1)
        sys.stdout = os.fdopen(document, "w", encoding="utf-8")


def run() -> int:
    """The entry point of the installed program, too."""
    _only_the_document()
    # Names of files may hold bytes that are no text.
    for stream in (sys.stdout, sys.stderr):
        if hasattr(stream, "reconfigure"):
            stream.reconfigure(errors="backslashreplace")
    return main()


if __name__ == "__main__":
    sys.exit(run())
