"""The look of the site's papers: read with the site file, and tried before it is used."""

from dataclasses import dataclass, replace
from pathlib import Path

from loricate.core.errors import DocumentError, Finding
from loricate.papers.look import MOST_LOGO_BYTES, MOST_TEMPLATE_BYTES, TEMPLATES, Look
from loricate.papers.samples import try_logo, try_look
from loricate.papers.typesetting import TemplateFault
from loricate.service.site_file import PapersPlan


@dataclass(frozen=True, slots=True)
class TriedLook:
    """A look that draws every paper, and why a template of the site's is not used for it."""

    look: Look
    problems: tuple[str, ...] = ()


def read_look(plan: PapersPlan, beside: Path) -> Look:
    """The look of a plan, with its files; raises DocumentError naming what cannot be read."""
    logo, suffix = b"", ""
    if plan.logo:
        logo = _bytes_of(beside / plan.logo, "papers.logo", MOST_LOGO_BYTES)
        suffix = plan.logo.rpartition(".")[2].lower()
    templates: dict[str, str] = {}
    if plan.templates:
        folder = beside / plan.templates
        templates = {
            name: _text_of(folder / name) for name in TEMPLATES if (folder / name).is_file()
        }
        if not templates:
            told = f"has none of {', '.join(TEMPLATES)} in {folder}", "put one there, or leave it."
            raise DocumentError("site file", (Finding("papers.templates", *told),))
    return Look(
        plan.page,
        plan.zone,
        logo,
        suffix,
        dict(plan.colours),
        dict(plan.texts),
        plan.signatures,
        templates,
        plan.language,
    )


def tried_look(plan: PapersPlan, beside: Path) -> TriedLook:
    """The look of a plan, without what cannot be drawn with: then the template that ships is used.

    Raises DocumentError for files that are not there.
    """
    look = read_look(plan, beside)
    problems: list[str] = []
    while True:
        try:
            if look.templates:
                try_look(look)
            elif look.logo:  # with the templates that ship, nothing else of a look can be at fault
                try_logo(look)
            return TriedLook(look, tuple(problems))
        except TemplateFault as fault:
            if not look.templates and not look.logo:
                raise
            problems.append(_told(fault, plan, look))
            look = _without(look, fault)


def _told(fault: TemplateFault, plan: PapersPlan, look: Look) -> str:
    if fault.file in look.templates:
        return f"{plan.templates}/{fault}. Papers are drawn with the template that ships."
    if look.templates:
        return (
            f"The site's templates cannot be used ({fault}). Papers are drawn with those that ship."
        )
    return f"The logo {plan.logo} cannot be drawn ({fault.reason}). Papers have none."


def _without(look: Look, fault: TemplateFault) -> Look:
    if fault.file in look.templates:
        kept = {name: text for name, text in look.templates.items() if name != fault.file}
        return replace(look, templates=kept)
    if look.templates:
        return look.with_shipped_templates
    return replace(look, logo=b"", logo_suffix="")


def _bytes_of(path: Path, field: str, most: int) -> bytes:
    try:
        data = path.read_bytes()
    except OSError as error:
        told = f"names {path}, which cannot be read ({error.strerror})", "put the file there."
        raise DocumentError("site file", (Finding(field, *told),)) from error
    if len(data) > most:
        told = f"names {path}, which has {len(data)} bytes", f"at most {most}; make it smaller."
        raise DocumentError("site file", (Finding(field, *told),))
    if not data:
        told = f"names {path}, which is empty", "put the whole file there."
        raise DocumentError("site file", (Finding(field, *told),))
    return data


def _text_of(path: Path) -> str:
    try:
        return _bytes_of(path, "papers.templates", MOST_TEMPLATE_BYTES).decode("utf-8")
    except UnicodeDecodeError as error:
        told = f"has {path}, which is no text in UTF-8", "save it as UTF-8."
        raise DocumentError("site file", (Finding("papers.templates", *told),)) from error
