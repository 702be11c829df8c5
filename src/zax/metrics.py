"""What Zax counts and times of itself, in Prometheus' text format on a port of its own, on loopback:
requests, acts, calls to the outside, slow statements, connections in use, and what waits in the outbox and
how long.

Names are those of routes, acts and doors; never a path, a person or a value.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Protocol

from prometheus_client import CollectorRegistry, Counter, Histogram, start_http_server
from prometheus_client.core import GaugeMetricFamily
from prometheus_client.registry import Collector

REGISTRY = CollectorRegistry()
_QUICK = (0.005, 0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1, 2.5, 10)
REQUESTS = Counter("zax_requests", "Requests answered", ("method", "route", "status"), registry=REGISTRY)
REQUEST_SECONDS = Histogram(
    "zax_request_seconds", "Time a request took", ("route",), registry=REGISTRY, buckets=_QUICK
)
ACTS = Counter("zax_acts", "Acts by how they ended", ("act", "outcome"), registry=REGISTRY)
ACT_SECONDS = Histogram("zax_act_seconds", "Time an act took", ("act",), registry=REGISTRY, buckets=_QUICK)
DOORS = Counter("zax_door_calls", "Calls to the outside", ("door", "call", "outcome"), registry=REGISTRY)
DOOR_SECONDS = Histogram(
    "zax_door_seconds", "Time a call to the outside took", ("door",), registry=REGISTRY, buckets=(*_QUICK, 30)
)
SLOW_STATEMENTS = Counter(
    "zax_slow_statements", "Statements that took half a second or more", registry=REGISTRY
)


@contextmanager
def timed(seconds: Histogram, counted: Counter, name: str, *more: str) -> Iterator[None]:
    """Times and counts what happens within: `fine`, or the kind of the error that ended it."""
    began, outcome = time.perf_counter(), "fine"
    try:
        yield
    except BaseException as error:
        outcome = type(error).__name__
        raise
    finally:
        seconds.labels(name).observe(time.perf_counter() - began)
        counted.labels(name, *more, outcome).inc()


@dataclass(frozen=True, slots=True)
class Waiting:
    """Errands of a kind that are due, and how long the oldest has been (seconds)."""

    kind: str
    count: int
    oldest_seconds: float


class Looked(Protocol):
    """What is looked up each time the numbers are fetched."""

    def waiting(self) -> list[Waiting]: ...

    def connections(self) -> dict[str, tuple[int, int]]:
        """(in use, kept open) by pool."""
        ...


class _State(Collector):
    """What stands in the database and the pools now."""

    def __init__(self, looked: Looked) -> None:
        self.looked = looked

    def describe(self) -> Iterator[GaugeMetricFamily]:
        """Nothing is asked of a database while we start."""
        yield from ()

    def collect(self) -> Iterator[GaugeMetricFamily]:
        count = GaugeMetricFamily("zax_outbox_due", "Errands that are due", labels=["kind"])
        oldest = GaugeMetricFamily("zax_outbox_oldest_seconds", "How long the oldest is due", labels=["kind"])
        for each in self.looked.waiting():
            count.add_metric([each.kind], each.count)
            oldest.add_metric([each.kind], each.oldest_seconds)
        pools = GaugeMetricFamily("zax_pool_connections", "Database connections", labels=["pool", "state"])
        for name, (used, kept) in self.looked.connections().items():
            pools.add_metric([name, "in use"], used)
            pools.add_metric([name, "idle"], kept)
        yield from (count, oldest, pools)


def serve(port: int, looked: Looked) -> Callable[[], None]:
    """Give the numbers out on this port of loopback, from now on; what ends it. OSError when the port is
    taken.
    """
    state = _State(looked)
    REGISTRY.register(state)
    server, thread = start_http_server(port, "127.0.0.1", REGISTRY)

    def end() -> None:
        server.shutdown()
        server.server_close()
        thread.join()
        REGISTRY.unregister(state)

    return end
