"""A pure function of entries, asked again of the very same entries, gives what it gave before.

Entries are written in ink and kept in the process once read, so a page that nobody has
written on since is the same objects in the same order. That is what is compared: neither
their content nor their ids, so nothing can be taken for something else. Who asks while
another is working it out waits for that answer instead of working it out beside it.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Iterable
from concurrent.futures import Future
from functools import wraps
from operator import is_
from threading import Lock
from typing import Concatenate, ParamSpec, TypeVar

from helvor.core.record.entry import Entry

P = ParamSpec("P")
R = TypeVar("R")


def remembered(
    most: int,
) -> Callable[[Callable[Concatenate[Iterable[Entry], P], R]], Callable[Concatenate[Iterable[Entry], P], R]]:
    """Keep the results for the *most* pages asked for last; whoever gets one must not change it.

    What the function raises reaches all who waited, and is not kept.
    """

    def wrap(
        function: Callable[Concatenate[Iterable[Entry], P], R],
    ) -> Callable[Concatenate[Iterable[Entry], P], R]:
        # By the newest entry and how many there are; all of them are looked at before a result is given.
        kept: OrderedDict[tuple[int, int], tuple[tuple[Entry, ...], object, Future[R]]] = OrderedDict()
        lock = Lock()

        @wraps(function)
        def ask(entries: Iterable[Entry], /, *args: P.args, **kwargs: P.kwargs) -> R:
            page = tuple(entries)
            # The entries are kept with the result, so that no other object can get the newest one's address.
            key = (id(page[-1]) if page else 0, len(page))
            with lock:
                known = kept.get(key)
                if known is not None and known[1] == (args, kwargs) and all(map(is_, page, known[0])):
                    kept.move_to_end(key)
                    mine = None
                else:
                    mine = kept[key] = (page, (args, kwargs), Future[R]())
                    while len(kept) > most:
                        kept.popitem(last=False)
            if mine is None:
                assert known is not None
                return known[2].result()
            try:
                result = function(page, *args, **kwargs)
            except BaseException as trouble:
                with lock:
                    if kept.get(key) is mine:
                        del kept[key]
                mine[2].set_exception(trouble)
                raise
            mine[2].set_result(result)
            return result

        return ask

    return wrap
