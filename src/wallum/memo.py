"""What was made of values that never change, kept while those very values are asked for again."""

from collections import OrderedDict
from collections.abc import Callable, Hashable
from threading import Lock
from typing import Any, Generic, TypeVar

__all__ = ["FieldsAlone", "Memo"]

Value = TypeVar("Value")


class Memo(Generic[Value]):
    """By the identity of objects: quicker than their equality, which would walk through all of them.

    They are kept with what was made, so that no id is given again. Threads may share one.
    """

    def __init__(self, most: int) -> None:
        self._most = most
        self._lock = Lock()
        self._kept: OrderedDict[Hashable, tuple[tuple[object, ...], Value]] = OrderedDict()

    def get(self, make: Callable[[], Value], *of: object, also: Hashable = None) -> Value:
        """What was made of these very objects, and of a value that equals `also`; else made now. Of many,
        those go that were asked for longest ago."""
        key = (tuple(map(id, of)), also)
        with self._lock:
            selected = self._kept.get(key)
            if selected is not None:
                self._kept.move_to_end(key)
                return selected[1]
        value = make()  # outside the lock: it may take long, and ask for others
        with self._lock:
            self._kept[key] = (of, value)
            while len(self._kept) > self._most:
                self._kept.popitem(last=False)
        return value


class FieldsAlone:
    """A dataclass that is sent and compared by its fields: what was found from them is left behind."""

    __dataclass_fields__: dict[str, Any]

    def __getstate__(self) -> dict[str, object]:
        return {name: self.__dict__[name] for name in self.__dataclass_fields__}
