"""What is kept is kept by identity, is let go in turn, and may be asked for by many threads."""

import pickle
from concurrent.futures import ThreadPoolExecutor

from wallum.level.demos.pale_room import pale_room_project
from wallum.memo import Memo
from wallum.moment.evaluate import evaluate


class Thing:
    """Equal to every other one."""

    def __eq__(self, other):
        return True

    def __hash__(self):
        return 1


def test_the_same_object_is_answered_from_what_is_kept_and_an_equal_one_is_not():
    memo, built, first, second = Memo(4), [], Thing(), Thing()

    def make():
        built.append(1)
        return len(built)

    assert [memo.get(make, first), memo.get(make, first), memo.get(make, second)] == [1, 1, 2]
    assert memo.get(make, first, also=3.0) == 3
    assert memo.get(make, first, also=3.0) == 3
    assert memo.get(make, first) == 1


def test_what_was_asked_for_longest_ago_goes_first():
    memo, things = Memo(3), [Thing() for _ in range(4)]
    for thing in things[:3]:
        memo.get(lambda: "old", thing)
    memo.get(lambda: "new", things[0])  # kept, and now the newest
    memo.get(lambda: "old", things[3])
    assert [memo.get(lambda: "new", things[n]) for n in (0, 2, 3)] == ["old"] * 3
    assert memo.get(lambda: "new", things[1]) == "new"


def test_an_object_that_is_gone_lends_its_id_to_none():
    memo = Memo(1000)
    for number in range(500):  # each would get the id of the one before
        assert memo.get(lambda number=number: number, Thing()) == number


def test_threads_get_what_is_theirs():
    memo, things = Memo(7), [Thing() for _ in range(20)]

    def ask(number):
        return memo.get(lambda: number % 20, things[number % 20])

    with ThreadPoolExecutor(8) as pool:
        assert list(pool.map(ask, range(4000))) == [number % 20 for number in range(4000)]


def test_what_was_found_from_fields_is_neither_sent_nor_compared():
    lamps = evaluate(pale_room_project()).lamps
    before = pickle.dumps(lamps)
    assert lamps.casting.any()  # found now, and kept
    assert "casting" in vars(lamps)
    assert pickle.dumps(lamps) == before
    again = pickle.loads(before)
    assert again.ids == lamps.ids
    assert (again.casting == lamps.casting).all()
