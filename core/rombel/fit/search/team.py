"""Step 10. Searches side by side, from different seeds; together as good as the best of them."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor

from rombel.fit.search.ruin_and_recreate import Search


class Team:
    """Several searches from different seeds, each on a thread of its own; together as good as the best of them.

    Every search draws from its own seed at each call, so the answer does not depend on how threads are run.
    """

    def __init__(self, members: list[Search]) -> None:
        self.members = members
        self._threads = ThreadPoolExecutor(len(members))

    @property
    def best(self) -> Search:
        """Return the member with the cheapest complete answer; the first of equals."""
        # Complete ones first, then those that lack least, then the cheapest; the first of equals, so that threads do not matter.
        return min(self.members, key=lambda member: (not member.complete, int(member.unplaced.sum()), member.cost))

    def improve(self, begin: float, end: float, steps: int) -> None:
        """Let every member run steps at the same time."""
        list(self._threads.map(lambda member: member.improve(begin, end, steps), self.members))

    def restart(self) -> None:
        """Let every member go on from its best answer."""
        for member in self.members:
            member.restart()

    def close(self) -> None:
        """Give the threads back."""
        self._threads.shutdown()
