"""How soon an output is off after somebody asks for an abort, under load."""

import socket
import statistics
import tempfile
import threading
import time
from functools import lru_cache
from pathlib import Path

from loricate.client import Client
from loricate.commands import demo_site

ABORTS = 40
REASON = "one step alone, for a figure"
TRIPS = 200


class _OutputWatch:
    """Asks the withstand source, again and again on a link of its own, whether it is on."""

    def __init__(self, port: int) -> None:
        self.link = socket.create_connection(("127.0.0.1", port))
        self.link.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)

    def is_on(self) -> bool:
        self.link.sendall(b"OUTP?\n")
        return self.link.recv(8).startswith(b"1")

    def trip_s(self) -> float:
        """The median round trip of the link."""
        spent = []
        for _ in range(TRIPS):
            begun = time.perf_counter()
            self.is_on()
            spent.append(time.perf_counter() - begun)
        return statistics.median(spent)


def abort_p99() -> float:
    """The 99th percentile of the time from the request to the output off, in link round trips."""
    worst_s, trip_s = _measured()
    return worst_s / trip_s


def abort_ms() -> float:
    """The same in ms."""
    return _measured()[0] * 1e3


@lru_cache(maxsize=1)
def _measured() -> tuple[float, float]:
    """The 99th percentile of the time (s) until the output is off, and a round trip (s)."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        with demo_site.running_site(folder, 1.0) as sign_in, Client(sign_in["url"]) as client:
            client.sign_in(sign_in["name"], sign_in["password"])
            document = dict(demo_site.demo_sequence("DC40-FINAL"))
            document |= {"code": "ABORT", "steps": [document["steps"][3]]}
            client.add_sequence(document)
            found = client.review("ABORT").findings
            left = {f"{each.rule}@{each.step}".removesuffix("@"): REASON for each in found}
            once = client.add_account("second", "Second Engineer", "engineer").password
            with Client(sign_in["url"]) as other:  # who leaves an error is not who wrote it
                other.sign_in("second", once)
                other.change_password(once, "a second engineer's")
                other.sign_in("second", "a second engineer's")
                other.release_sequence("ABORT", REASON, left)
            watch = _OutputWatch(sign_in["ports"]["HV1"])
            trip_s = watch.trip_s()
            delays = [_abort_once(client, watch) for _ in range(ABORTS)]
            watch.link.close()
    return statistics.quantiles(delays, n=100)[98], trip_s


def _abort_once(client: Client, watch: _OutputWatch) -> float:
    run = client.create_run("ABORT", "FX-A", {nest: f"A-{nest}" for nest in "12"})
    client.arm_run(run.id)
    client.start_run(run.id)
    while not watch.is_on():
        time.sleep(0.001)
    asking = threading.Thread(target=client.abort_run, args=(run.id,))
    begun = time.perf_counter()
    asking.start()
    while watch.is_on():
        pass
    off_s = time.perf_counter() - begun
    asking.join()
    return off_s
