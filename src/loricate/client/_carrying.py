"""Carrying records from a bench out of reach to the service that keeps them all."""

from collections.abc import Iterator
from pathlib import Path

from loricate.api.carrying import CarriedBench, CarriedIn, CarryOutIn, CarryState, Receipt
from loricate.client._wire import API, Wire

WITHIN_S = 900.0
CHUNK = 2**18


class CarryCalls(Wire):
    """Calls about what is carried."""

    def carrying(self) -> CarryState:
        """What of the service's records has been carried elsewhere, and what waits."""
        return self._get(CarryState, f"{API}/carry")

    def carry_out(
        self,
        to: Path,
        *,
        everything: bool = False,
        papers: bool = True,
    ) -> tuple[int, int]:
        """Write one signed file of what nobody has said to have; it must not be there yet.

        Gives how many records are in it, and how many papers and pictures were gone.
        """
        body = CarryOutIn(everything=everything, papers=papers)
        answer = self.send(
            "POST", f"{API}/carry", json=body.model_dump(mode="json"), timeout=WITHIN_S
        )
        with to.open("xb") as out:
            out.write(answer.content)
        told = (answer.headers[f"x-loricate-{name}"] for name in ("records", "missing"))
        records, missing = map(int, told)
        return records, missing

    def carry_in(self, file: Path, key: str = "") -> CarriedIn:
        """Take a file in; ``key`` is the thumbprint of the bench's key, for its first one."""
        answer = self.send(
            "POST",
            f"{API}/carried",
            params={"key": key},
            content=_pieces(file),
            headers={"Content-Type": "application/octet-stream"},
            timeout=WITHIN_S,
        )
        return CarriedIn.model_validate_json(answer.content)

    def carried(self) -> list[CarriedBench]:
        """Every bench whose records were carried in."""
        return self._get(list[CarriedBench], f"{API}/carried")

    def receipt(self, site: str) -> Receipt:
        """How far the records of a site have come in."""
        return self._get(Receipt, f"{API}/carried/{site}/receipt")

    def keep_receipt(self, receipt: Receipt) -> None:
        """Keep what another service has said to have."""
        self.send("POST", f"{API}/carry/receipts", json=receipt.model_dump(mode="json"))


def _pieces(file: Path) -> Iterator[bytes]:
    with file.open("rb") as source:
        while piece := source.read(CHUNK):
            yield piece
