"""Scanning: a list of paths measured one after another, by the instruments alone where they can."""

from collections.abc import Callable, Mapping

from loricate.bench.errors import Implausible, InstrumentFault
from loricate.bench.instrument import Instrument
from loricate.bench.outputs import Outputs
from loricate.bench.switching import Nest, Switching
from loricate.core.measuring.actions import Ending, Output, Scan, Scanned
from loricate.core.measuring.curves import Sample
from loricate.core.measuring.scanning import Record, scanned


class Scanning:
    """Scans of a bench. Every method raises BenchError as the bench does."""

    def __init__(
        self, instruments: Mapping[str, Instrument], switching: Switching, outputs: Outputs
    ) -> None:
        self.instruments, self.switching, self.outputs = instruments, switching, outputs

    async def scan(
        self, name: str, action: Scan, nest: Nest, on_sample: Callable[[Sample], None]
    ) -> Scanned:
        """Measure every path of a list on the unit in a nest."""
        await self.instruments[name].ready()
        steps = [set(self.switching.points(name, path, nest)) for path in action.paths]
        if self.switching.matrix.profile.scans:
            return await self._by_themselves(name, action, steps, nest, on_sample)
        return await self._one_by_one(name, action, steps, nest, on_sample)

    async def _by_themselves(
        self,
        name: str,
        action: Scan,
        steps: list[set[tuple[int, int]]],
        nest: Nest,
        on_sample: Callable[[Sample], None],
    ) -> Scanned:
        async with self.switching.stepping(name, steps):
            output, records = await self._measured(name, action, len(steps), nest, on_sample)
        return self._scanned(name, action, output, records, len(steps))

    async def _one_by_one(
        self,
        name: str,
        action: Scan,
        steps: list[set[tuple[int, int]]],
        nest: Nest,
        on_sample: Callable[[Sample], None],
    ) -> Scanned:
        """Where the matrix takes no list: each path is a scan of one."""
        made = []
        for step in steps:
            await self.switching.close(name, step)
            output, records = await self._measured(name, action, 1, nest, on_sample)
            made.append(self._scanned(name, action, output, records, 1))
        readings = {
            quantity: tuple(each.readings[quantity][0] for each in made)
            for quantity in action.reads
        }
        doubts = tuple(doubt for each in made for doubt in each.output.doubts)
        last = made[-1].output
        return Scanned(
            Output(last.ending, last.summary, instrument=last.instrument, doubts=doubts), readings
        )

    async def _measured(
        self,
        name: str,
        action: Scan,
        count: int,
        nest: Nest,
        on_sample: Callable[[Sample], None],
    ) -> tuple[Output, list[Record]]:
        programme = {**action.programme, "points": float(count), "dwell_s": count * action.slot_s}
        output = await self.outputs.energise(name, programme, [nest], on_sample)
        if output.ending is not Ending.FINISHED:
            raise InstrumentFault(name, f"ended its list of paths with {output.ending}")
        records = []
        for quantity in action.reads:
            curve = (await self.instruments[name].acquire(quantity)).curve
            column = curve.columns[0]
            values = [float("nan") if each is None else each for each in column.values]
            first = curve.x.values[0] if curve.x.values else None
            slot_s = 0.0 if first is None else first
            records.append(Record(quantity, column.dimension, values, slot_s))
        return output, records

    def _scanned(
        self, name: str, action: Scan, output: Output, records: list[Record], count: int
    ) -> Scanned:
        for record in records:
            if len(record.values) != count:
                told = f"recorded {len(record.values)} paths of a list of {count}"
                raise Implausible(name, told)
        return scanned(output, records, count, action.slot_s, self.instruments[name].capability)
