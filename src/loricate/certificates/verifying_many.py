"""Verifying many files, on every processor that there is."""

import multiprocessing
import os
from collections.abc import Iterable, Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from pathlib import Path
from typing import Any

from loricate.certificates.verifying import Verification, verify

FEW = 8  # files that are not worth another process
AT_ONCE = 8


def verify_file(path: Path, jwk: Any, revocations: str) -> Verification:
    """Verify one file; says so where it cannot be read."""
    try:
        data = path.read_bytes()
    except OSError as error:
        return Verification((f"It cannot be read ({error.strerror}).",))
    return verify(data, jwk, revocations)


def verify_files(
    paths: Sequence[Path], jwk: Any, revocations: str = ""
) -> Iterator[tuple[Path, Verification]]:
    """Verify files; what came of each, in their order."""
    work = partial(verify_file, jwk=jwk, revocations=revocations)
    workers = min(os.cpu_count() or 1, len(paths) // FEW)
    if workers < 2:
        yield from _paired(paths, map(work, paths))
        return
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload([__name__, "loricate.certificates.paper_checking"])
    with ProcessPoolExecutor(workers, context) as pool:
        yield from _paired(paths, pool.map(work, paths, chunksize=AT_ONCE))


def _paired(
    paths: Sequence[Path], found: Iterable[Verification]
) -> Iterator[tuple[Path, Verification]]:
    yield from zip(paths, found, strict=True)
