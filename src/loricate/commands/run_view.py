"""The live view of a run: a bar a nest on a terminal, a plain line a step elsewhere."""

import sys
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path
from types import TracebackType
from typing import TYPE_CHECKING, Any, Self

import click
from rich.console import Console
from rich.progress import BarColumn, Progress, TaskID, TextColumn

from loricate.commands.output import verdict_word
from loricate.core.errors import QuantityError
from loricate.core.quantities import DIMENSIONS, Dimension, parse

if TYPE_CHECKING:
    from loricate.api.records import BesideIn
    from loricate.client import RunEvent

    Answering = Callable[
        [
            str,
            str,
            str,
            int,
            bytes | None,
            Mapping[str, str],
            Mapping[str, BesideIn],
            Mapping[str, bytes],
        ],
        None,
    ]

TARGET_WORD = "target "
BESIDE_HINT = " After it: ; a note, ; @FILE of a photo, or ; target 36.5 °C; why"


def watch(
    events: "Iterable[RunEvent]",
    answer: "Answering",
    load: Mapping[str, str],
    steps: int,
    pass_visual: bool,
) -> None:
    """Follow events to their end: bars on a terminal, a line a step elsewhere; asks what is asked.

    ``load`` gives the serial in each nest; ``answer`` takes nest, choice, note,
    the question's number, a picture, the entries of a form, what comes with them and their photos.
    """
    with RunView(load, steps) as view:
        for event in events:
            view.show(event)
            if event.name == "question":
                asked = event.data
                is_visual = asked["moment"] == "check" and "pass" in asked["choices"]
                given = Given("pass") if pass_visual and is_visual else view.ask(asked)
                nest, number = asked["nest"], asked["number"]
                answer(
                    nest,
                    given.choice,
                    given.note,
                    number,
                    given.picture,
                    given.values,
                    given.beside,
                    given.photos,
                )


@dataclass(frozen=True, slots=True)
class Given:
    """What the person at the terminal answered; a picture as its bytes."""

    choice: str
    note: str = ""
    picture: bytes | None = None
    values: Mapping[str, str] = field(default_factory=dict)
    beside: "Mapping[str, BesideIn]" = field(default_factory=dict)
    photos: Mapping[str, bytes] = field(default_factory=dict)


class RunView:
    """Draws a run on standard error, so that standard output holds nothing but data."""

    def __init__(self, load: Mapping[str, str], steps: int) -> None:
        self.load, self.steps = load, steps
        self.is_live = sys.stderr.isatty()
        self.progress = Progress(
            TextColumn("nest {task.fields[nest]}"),
            TextColumn("{task.fields[serial]}"),
            BarColumn(bar_width=24),
            TextColumn("{task.fields[step]}"),
            TextColumn("{task.fields[live]}"),
            console=Console(stderr=True),
        )
        self.done = dict.fromkeys(load, 0)
        self.bars: dict[str, TaskID] = {}

    def __enter__(self) -> Self:
        if self.is_live:
            # Drawn from the first sample on, so that questions before it stand on a clean screen.
            for nest, serial in self.load.items():
                self.bars[nest] = self.progress.add_task(
                    "", total=self.steps, nest=nest, serial=serial, step="", live=""
                )
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        traceback: TracebackType | None,
    ) -> None:
        if self.is_live:
            self.progress.stop()

    def show(self, event: "RunEvent") -> None:
        """Draw one event."""
        data, nest = event.data, event.data.get("nest", "")
        match event.name:
            case "step_started":
                self._update(nest, step=data["title"], live="")
            case "sample":
                if self.is_live:
                    self.progress.start()
                within = data["elapsed_s"] / max(1e-9, data["elapsed_s"] + data["remaining_s"])
                self._update(nest, completed=self.done[nest] + within, live=live_text(data))
            case "point":
                self._update(nest, live=f"{data['point']}, {data['number']} of {data['of']}")
            case "repetition":
                word = verdict_word(data["verdict"])
                told = f"{data['number']} of {data['times']}: {word}"
                self._update(nest, live=told)
                if not self.is_live:
                    click.echo(f"nest {nest}  {data['step']}, {told}", err=True)
            case "step_finished":
                self.done[nest] += 1
                word = verdict_word(data["verdict"])
                self._update(nest, completed=self.done[nest], live=word)
                if not self.is_live:
                    click.echo(
                        f"nest {nest}  {data['title']}: {word} {data['note']}".strip(), err=True
                    )
            case "kept":
                self._say_kept(nest, data)
            case "cue":
                click.echo(f"nest {nest}  {data['text']}", err=True)
            case "delayed":
                click.echo(f"The first step begins in {data['for_s']:g} s.", err=True)
            case "discharging":
                click.echo(f"Discharging, {data['voltage']:.0f} V left: do not touch.", err=True)
            case "unit_finished":
                self._update(nest, step="", live=verdict_word(data["verdict"]))
            case _:
                pass

    def _say_kept(self, nest: str, kept: Mapping[str, Any]) -> None:
        """What a long step has kept: a line a mark, or a line a level."""
        telling = "current" if kept["point"] else "resistance"
        if kept["quantity"] == telling:
            when = kept["point"] or f"after {kept['at_s']:g} s"
            click.echo(f"nest {nest}  {when}: {telling} {kept['text']}", err=True)

    def _update(self, nest: str, **fields: Any) -> None:
        if self.is_live:
            self.progress.update(self.bars[nest], **fields)

    def ask(self, question: dict[str, Any]) -> Given:
        """Put a question to the person at the terminal."""
        self.progress.stop()
        place = "The whole load" if question["nest"] == "all" else f"Nest {question['nest']}"
        text = f"{place}: {question['question']}"
        if question.get("entries"):
            click.echo(f"{text} (Enter takes what is offered.{BESIDE_HINT})", err=True)
            entered = {each["name"]: _ask_entry(each) for each in question["entries"]}
            return Given(
                "",
                values={name: each.value for name, each in entered.items() if each.value},
                beside={name: each.beside for name, each in entered.items() if each.beside},
                photos={name: each.photo for name, each in entered.items() if each.photo},
            )
        if question["quantity"]:
            return _ask_figure(text, question)
        choice: str = click.prompt(
            text, type=click.Choice(question["choices"]), default=question["choices"][0], err=True
        )
        note = ""
        if choice in question["note_for"]:
            note = click.prompt("Reason", err=True)
        return Given(choice, note)


@dataclass(frozen=True, slots=True)
class _Entered:
    """One entry as it was typed, with what was written after it."""

    value: str
    beside: "BesideIn | None" = None
    photo: bytes | None = None


def _ask_entry(entry: dict[str, Any]) -> _Entered:
    offered = entry["target"] or None

    def read(typed: str) -> _Entered:
        value, _, rest = (part.strip() for part in typed.partition(";"))
        if rest.startswith("@") and not value and entry["photo"] == "instead":
            return _Entered("", photo=_photo(rest[1:]))
        value = value or (offered or "")
        if entry["quantity"]:
            _figure(DIMENSIONS[entry["quantity"]], value)
        elif value not in entry["choices"]:
            raise click.UsageError(f"'{value}' is not one of {', '.join(entry['choices'])}.")
        if rest.startswith("@"):
            return _Entered(value, photo=_photo(rest[1:]))
        if entry["photo"] == "beside":
            raise click.UsageError("A photo must come with it: ; @FILE.")
        return _Entered(value, _beside(rest) if rest else None)

    told = f"  {entry['title']}"
    if entry["choices"]:
        told += f" ({', '.join(entry['choices'])})"
    given: _Entered = click.prompt(told, default=offered, value_proc=read, err=True)
    return given


def _beside(rest: str) -> "BesideIn":
    """A note, or another target and why."""
    from loricate.api.records import BesideIn

    if not rest.startswith(TARGET_WORD):
        return BesideIn(note=rest)
    target, _, reason = (part.strip() for part in rest[len(TARGET_WORD) :].partition(";"))
    if not reason:
        raise click.UsageError("Say why the target is another: ; target 36.5 °C; why.")
    return BesideIn(target=target, reason=reason)


def _figure(dimension: Dimension, typed: str) -> str:
    try:
        parse(typed, dimension)
    except QuantityError as error:
        raise click.UsageError(str(error)) from error
    return typed


def _ask_figure(text: str, question: dict[str, Any]) -> Given:
    dimension = DIMENSIONS[question["quantity"]]
    may_show = question["photo"] == "instead"

    def read(typed: str) -> Given:
        if may_show and typed.startswith("@"):
            return Given("", picture=_photo(typed[1:]))
        return Given(_figure(dimension, typed))

    hint = " (or @FILE of a photo)" if may_show else ""
    offered = question["target"] or None
    given: Given = click.prompt(text + hint, default=offered, value_proc=read, err=True)
    if question["photo"] == "beside":
        photo: bytes = click.prompt("File of the photo", value_proc=_photo, err=True)
        return replace(given, picture=photo)
    return given


def _photo(name: str) -> bytes:
    try:
        return Path(name).read_bytes()
    except OSError as error:
        raise click.UsageError(f"{name} cannot be read: {error.strerror}.") from error


def live_text(sample: dict[str, Any]) -> str:
    """The first two meters of a sample, and the seconds left."""
    shown = list(sample["meters"].values())[:2]
    waiting = [f"waits {sample['waiting']}"] if sample["waiting"] else []
    left = f"{sample['remaining_s']:.1f} s left"
    return "  ".join([sample["phase"], *shown, *waiting, left])
