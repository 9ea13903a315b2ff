"""Products of numpy are made by the thread that asks for them."""

import os
import subprocess
import sys

import pytest

TOLD = (
    "import wallum, os, numpy; a = numpy.ones((600, 600)); a @ a; print(len(os.listdir('/proc/self/task')))"
)


@pytest.mark.parametrize(("set_by_hand", "threads"), [(None, 1), ("2", 2)])
def test_numpy_makes_no_threads_of_its_own_unless_it_is_told_to(set_by_hand, threads):
    own = {item: value for item, value in os.environ.items() if item != "OPENBLAS_NUM_THREADS"}
    own |= {} if set_by_hand is None else {"OPENBLAS_NUM_THREADS": set_by_hand}
    messages = subprocess.run(
        [sys.executable, "-c", TOLD], env=own, capture_output=True, text=True, check=True
    )
    assert int(messages.stdout) == min(threads, os.cpu_count())
