"""What windings cost: a long block through link and record, ratios of waveforms."""

import asyncio
import socket
import threading
import time
from itertools import pairwise

import numpy as np

from figures.pairs import ratio_of_pairs
from loricate.bench.links import TcpLink
from loricate.bench.profiles import Record
from loricate.bench.records import ask_record, numbers_in
from loricate.core.measuring.curves import Column, Curve, evenly, thinned
from loricate.core.quantities import TIME, VOLTAGE
from loricate.core.windings.surge import error_area_ratio, pulse_to_pulse
from loricate.records.curves import packed

PAIRS = 9
PHASES, PULSES, SAMPLES = 3, 50, 10_000
BLOCK_SAMPLES, BLOCKS = 100_000, 5

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
    axis = evenly(0.0, 1e-8, BLOCK_SAMPLES)

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
