"""Records of an instrument's output: numbers in a line, or an IEEE 488.2 block of them."""

from loricate.bench.links import Link
from loricate.bench.profiles import Record
from loricate.core.measuring.curves import Block
from loricate.core.measuring.scpi_values import read_value

TYPES = {
    "int16_big": ">i2",
    "int16_little": "<i2",
    "float32_big": ">f4",
    "float32_little": "<f4",
}
OVER = 9.9e37  # SCPI's infinity, and all beyond it


async def ask_record(link: Link, record: Record) -> str | bytes:
    """The record as it comes over the link; raises LinkFailed."""
    return await (link.query(record.ask) if record.form == "text" else link.query_block(record.ask))


def numbers_in(told: str | bytes, record: Record, separator: str) -> Block:
    """The values of a record in SI; what is no number is NaN.

    Raises ValueError for a block that is not whole numbers long.
    """
    if isinstance(told, str):
        return Block([read_value(each) * record.scale for each in told.split(separator)])
    import numpy as np

    values = np.frombuffer(told, TYPES[record.form]).astype(np.float64)
    values[np.abs(values) >= OVER] = np.nan
    return Block(values * record.scale)
