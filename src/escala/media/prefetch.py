"""Reading ahead: the next are under way while one is used."""

from collections import deque
from collections.abc import Callable, Generator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from typing import TypeVar

Read = TypeVar("Read")


def read_ahead(reads: Sequence[Callable[[], Read]], most: int = 1) -> Generator[Read, None, None]:
    """What each read gives, in order, at most `most` of them ahead; what one raises is raised in its turn."""
    coming: deque[Future[Read]] = deque()
    following = iter(reads)
    readers = ThreadPoolExecutor(most, thread_name_prefix="reading ahead")

    def begin_up_to(count: int) -> None:
        for read in following:
            coming.append(readers.submit(read))
            if len(coming) == count:
                return

    try:
        begin_up_to(most)
        while coming:
            found = coming.popleft().result()
            begin_up_to(most)
            yield found
    finally:
        readers.shutdown(cancel_futures=True)
