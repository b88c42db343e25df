"""Results of a function kept for the arguments asked about last, which can also be handed in.

Unlike :func:`functools.lru_cache` it takes a result that was worked out elsewhere, in another process say. All stores
of a process are bounded, safe between threads, and counted by :func:`stores`.

>>> @remembered(2)
... def doubled(x: int) -> int:
...     return 2 * x
>>> doubled(3), doubled.known(4)
(6, False)
>>> doubled.put(4, 8)
>>> doubled.known(4), len(doubled)
(True, 2)
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable
from threading import Lock
from typing import Any, Generic, TypeVar
from weakref import WeakSet

Key = TypeVar("Key", bound=Hashable)
Value = TypeVar("Value")
_stores: WeakSet[Newest[Any, Any]] = WeakSet()


class ByIdentity:
    """An object as part of a key, equal to itself alone, and held as long as the key: the number that :func:`id` gives
    may be another object's once it is gone."""

    def __init__(self, held: object) -> None:
        self._held = held

    def __eq__(self, other: object) -> bool:
        return isinstance(other, ByIdentity) and self._held is other._held

    def __hash__(self) -> int:
        return id(self._held)


class Newest(Generic[Key, Value]):
    """The *most* values that were put or asked for last, by their keys."""

    def __init__(self, name: str, most: int) -> None:
        self.name, self.most = name, most
        self._kept: OrderedDict[Key, Value] = OrderedDict()
        self._lock = Lock()  # held for looking up and keeping only, never while something is worked out
        _stores.add(self)

    def __len__(self) -> int:
        return len(self._kept)

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
            while len(self._kept) > self.most:
                self._kept.popitem(last=False)

    def get_or_put(self, key: Key, work: Callable[[], Value]) -> Value:
        """The value for *key*, which *work* makes if it is not there."""
        with self._lock:
            if key in self._kept:
                self._kept.move_to_end(key)
                return self._kept[key]
        value = work()
        self.put(key, value)
        return value


class Remembered(Newest[Key, Value]):
    """A function of one hashable argument with its last results."""

    def __init__(self, work: Callable[[Key], Value], most: int) -> None:
        super().__init__(f"{work.__module__}.{work.__qualname__}", most)
        self._work = work

    def __call__(self, key: Key) -> Value:
        return self.get_or_put(key, lambda: self._work(key))


def remembered(most: int) -> Callable[[Callable[[Key], Value]], Remembered[Key, Value]]:
    """Keep the results of the decorated function for the *most* arguments asked about last."""
    return lambda work: Remembered(work, most)


def stores() -> dict[str, tuple[int, int]]:
    """How many values every store of this process holds, and how many it may hold, by its name."""
    return {store.name: (len(store), store.most) for store in sorted(_stores, key=lambda store: store.name)}
