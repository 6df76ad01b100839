"""The process's cache put aside for a while."""

from collections import OrderedDict
from contextlib import contextmanager

from server.cache import CACHE


@contextmanager
def nothing_kept():
    """All that is kept between requests put aside, and brought back after."""
    kept, CACHE._results = CACHE._results, OrderedDict()
    size, CACHE._size = CACHE._size, 0
    yield
    CACHE._results, CACHE._size = kept, size
