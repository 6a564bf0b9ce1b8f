"""What windings cost: ten minutes beside one, a long block through link and record, ratios."""

import asyncio
import socket
import tempfile
import threading
import time
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np

from figures.pairs import ratio_of_pairs
from loricate.bench.links import TcpLink
from loricate.bench.profiles import Record
from loricate.bench.records import ask_record, numbers_in
from loricate.client import Client
from loricate.commands import demo_site
from loricate.core.measuring.curves import Column, Curve, thinned
from loricate.core.quantities import TIME, VOLTAGE
from loricate.core.windings.surge import error_area_ratio, pulse_to_pulse
from loricate.records.curves import packed

PAIRS = 9
PHASES, PULSES, SAMPLES = 3, 50, 10_000
BLOCK_SAMPLES, BLOCKS = 100_000, 5
WATCHERS, PACE = 8, 20.0

Waves = np.ndarray[tuple[int, int, int], np.dtype[np.float64]]


def _waves() -> Waves:
    """Rising pulses of three phases: damped oscillations with a little noise."""
    chance = np.random.default_rng(13)
    time_s = np.arange(SAMPLES) * 1e-8
    ring = np.exp(-time_s / 2e-5) * np.cos(2 * np.pi * 60e3 * time_s)
    levels_v = np.linspace(400, 1400, PULSES)
    clean = levels_v[None, :, None] * ring[None, None, :] * np.ones((PHASES, 1, 1))
    made: Waves = clean + chance.normal(0, 1.0, clean.shape)
    return made


def surge_core() -> float:
    """Every ratio of a surge test by the core, over the same sums written out in numpy."""
    waves = _waves()

    def ours() -> float:
        begun = time.perf_counter()
        for phase in waves:
            for former, newer in pairwise(phase):
                pulse_to_pulse(former, newer)
        for a, b in ((0, 1), (0, 2), (1, 2)):
            error_area_ratio(waves[a, -1], waves[b, -1])
        return time.perf_counter() - begun

    def bare() -> float:
        begun = time.perf_counter()
        for phase in waves:
            for former, newer in pairwise(phase):
                one, two = former / np.abs(former).max(), newer / np.abs(newer).max()
                np.abs(one - two).sum() / np.abs(one).sum()
        for a, b in ((0, 1), (0, 2), (1, 2)):
            one, two = waves[a, -1], waves[b, -1]
            np.abs(one - two).sum() / np.abs(one).sum()
        return time.perf_counter() - begun

    return ratio_of_pairs(ours, bare, PAIRS)


def _answering(listener: socket.socket, told: bytes) -> None:
    """Answer every question of every caller with a block, until the listener is closed."""
    while True:
        try:
            wire, _ = listener.accept()
        except OSError:
            return
        with wire:
            while wire.recv(256):
                wire.sendall(told)


def waveform_in() -> float:
    """A block of 100,000 floats to what is kept of it, over reading and parsing it alone."""
    data = _waves().reshape(-1)[:BLOCK_SAMPLES].astype(">f4").tobytes()
    length = str(len(data))
    told = f"#{len(length)}{length}".encode() + data + b"\n"
    listener = socket.create_server(("127.0.0.1", 0))
    threading.Thread(target=_answering, args=(listener, told), daemon=True).start()
    port = listener.getsockname()[1]
    record = Record.model_validate(
        {"ask": "WAVeform:DATA?", "about": "WAVeform:ABOut?", "quantity": "voltage",
         "dimension": "voltage", "form": "float32_big"}
    )  # fmt: skip
    axis = tuple(1e-8 * place for place in range(BLOCK_SAMPLES))

    async def kept() -> float:
        link = TcpLink("X", f"tcp://127.0.0.1:{port}")
        await link.open()
        begun = time.perf_counter()
        for _ in range(BLOCKS):
            values = numbers_in(await ask_record(link, record), record, ",")
            columns = (Column("voltage", VOLTAGE, values),)
            packed(thinned(Curve("waveform", Column("time", TIME, axis), columns)))
        spent = time.perf_counter() - begun
        link.close()
        return spent

    def bare() -> float:
        with socket.create_connection(("127.0.0.1", port)) as wire:
            begun = time.perf_counter()
            for _ in range(BLOCKS):
                wire.sendall(b"WAVeform:DATA?\n")
                got = bytearray()
                while len(got) < len(told):
                    got += wire.recv(1 << 20)
                np.frombuffer(bytes(got[2 + len(length) : -1]), ">f4").astype(np.float64)
            return time.perf_counter() - begun

    try:
        return ratio_of_pairs(lambda: asyncio.run(kept()), bare, PAIRS)
    finally:
        listener.close()


def _study(client: Client, code: str, lasts_s: float) -> None:
    """A sequence of one polarization, released."""
    document = demo_site.demo_sequence("WM3-STUDY")
    document["code"] = code
    (own,) = (each for each in document["steps"] if each["id"] == "polarization")
    own["settings"] |= {"lasts": f"{lasts_s:g} s", "earthed_times": "1"}
    own["limits"] = {"wobble": {"maximum": "50 %", "source": "the figure"}}
    document["steps"] = [own]
    client.add_sequence(document)
    found = client.review(code).findings
    reasons = {f"{each.rule}@{each.step}": "for the figure" for each in found}
    client.release_sequence(code, "for the figure", reasons)


def _resident_bytes(pid: int) -> int:
    for line in Path(f"/proc/{pid}/status").read_text(encoding="ascii").splitlines():
        if line.startswith("VmRSS:"):
            return int(line.split()[1]) * 1024
    raise RuntimeError("This system does not tell what a process holds.")


def _most_bytes(client: Client, site: dict[str, Any], code: str, serial: str) -> int:
    """The most that service and stand-ins hold while the step goes on, watched by eight."""
    run = client.create_run(code, "FX-M", {"1": serial})

    def watch() -> None:
        with Client(site["url"]) as watcher:
            watcher.sign_in(site["name"], site["password"])
            for _ in watcher.events(run.id):
                pass

    watchers = [threading.Thread(target=watch, daemon=True) for _ in range(WATCHERS)]
    for each in watchers:
        each.start()
    client.arm_run(run.id)
    client.start_run(run.id)
    most = 0
    while any(each.is_alive() for each in watchers):
        most = max(most, _resident_bytes(site["pid"]))
        time.sleep(0.2)
    ended = client.run(run.id)
    if ended.state != "finished":
        raise RuntimeError(f"The run is {ended.state}.")
    return most


def long_step_memory() -> float:
    """What a service holds at most in a step of ten minutes over one of one minute."""
    with tempfile.TemporaryDirectory() as folder, demo_site.running_site(Path(folder), PACE) as at:
        with Client(at["url"]) as client:
            client.sign_in(at["name"], at["password"])
            _study(client, "ONE-MINUTE", 60)
            _study(client, "TEN-MINUTES", 600)
            _most_bytes(client, at, "ONE-MINUTE", "WM3-26-9000")  # what the first one loads
            one = _most_bytes(client, at, "ONE-MINUTE", "WM3-26-9001")
            return _most_bytes(client, at, "TEN-MINUTES", "WM3-26-9002") / one
