"""Results of a function kept for the arguments asked about last, which can also be handed in.

Unlike :func:`functools.lru_cache` it takes a result that was worked out elsewhere, in another process say.

>>> @remembered(2)
... def doubled(x: int) -> int:
...     return 2 * x
>>> doubled(3), doubled.known(4)
(6, False)
>>> doubled.put(4, 8)
>>> doubled.known(4)
True

>>> notes = ByIdentity[tuple[int, ...], str](2)
>>> three = (1, 2, 3)
>>> _ = notes.put(three, value="short")
>>> notes.get(three), notes.get((4, 5))
('short', None)
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable
from threading import Lock
from typing import Generic, TypeVar

Key = TypeVar("Key", bound=Hashable)
Value = TypeVar("Value")


class Newest(Generic[Key, Value]):
    """The *most* values that were put or asked for last, by their keys."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._kept: OrderedDict[Key, Value] = OrderedDict()
        self._lock = Lock()  # held for looking up and keeping only, never while something is worked out

    def get(self, key: Key) -> Value | None:
        """The value for *key*, None if it is not there."""
        with self._lock:
            if key in self._kept:
                self._kept.move_to_end(key)
            return self._kept.get(key)

    def known(self, key: Key) -> bool:
        """Whether the value for *key* is there."""
        with self._lock:
            return key in self._kept

    def put(self, key: Key, value: Value) -> None:
        """Keep *value* for *key*."""
        with self._lock:
            self._kept[key] = value
            self._kept.move_to_end(key)
            while len(self._kept) > self._most:
                self._kept.popitem(last=False)


class Remembered(Newest[Key, Value]):
    """A function of one hashable argument with its last results."""

    def __init__(self, work: Callable[[Key], Value], most: int) -> None:
        super().__init__(most)
        self._work = work

    def __call__(self, key: Key) -> Value:
        with self._lock:
            if key in self._kept:
                self._kept.move_to_end(key)
                return self._kept[key]
        found = self._work(key)
        self.put(key, found)
        return found


class ByIdentity(Generic[Key, Value]):
    """Values kept for objects that cannot change and are large to compare, such as outlines, by what they are.

    The *most* kept last; each with its object, so that no other can take its identity. More may tell them apart.
    """

    def __init__(self, most: int) -> None:
        self._most = most
        self._kept: OrderedDict[tuple[Hashable, ...], tuple[Key, Value]] = OrderedDict()

    def get(self, of: Key, *more: Hashable) -> Value | None:
        found = self._kept.get((id(of), *more))
        return found[1] if found is not None and found[0] is of else None

    def put(self, of: Key, *more: Hashable, value: Value) -> Value:
        """Keep *value*, and give it back."""
        self._kept[(id(of), *more)] = of, value
        while len(self._kept) > self._most:
            self._kept.popitem(last=False)
        return value


def remembered(most: int) -> Callable[[Callable[[Key], Value]], Remembered[Key, Value]]:
    """Keep the results of the decorated function for the *most* arguments asked about last."""
    return lambda work: Remembered(work, most)
