"""What views can be told of: they subscribe to topics, and are called when one of them changes."""

from __future__ import annotations

from collections.abc import Callable

Subscriber = Callable[[], None]
TOPICS = (
    "window",
    "selection",
    "hover",
    "sieve",
    "findings",
    "rows",
    "axis",
    "bookmarks",
    "measure",
    "weave",
    "trail",
    "settled",
    "sounds",
    "beside",
    "rules",
)


class Topics:
    """Who is told of what."""

    def __init__(self) -> None:
        self._subscribers: dict[str, list[Subscriber]] = {topic: [] for topic in TOPICS}

    def subscribe(self, topics: str, subscriber: Subscriber) -> None:
        """Have `subscriber` called when any of the topics (words) changes."""
        for topic in topics.split():
            self._subscribers[topic].append(subscriber)

    def publish(self, *topics: str) -> None:
        """Call those who subscribed to any of the topics, each once."""
        for subscriber in dict.fromkeys(each for topic in topics for each in self._subscribers[topic]):
            subscriber()
