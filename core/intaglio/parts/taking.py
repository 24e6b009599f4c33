"""Taking in files: one or several, CAD or facets, as one model in one unit."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from intaglio.cad.files import CAD_READ
from intaglio.cad.measures import has_extent
from intaglio.cad.part import Part
from intaglio.cad.read import read_cad
from intaglio.cad.repair import carried
from intaglio.errors import FileRejected
from intaglio.facets.part import FacetPart, free_name
from intaglio.facets.welding import welded
from intaglio.findings import Finding
from intaglio.formats.registry import FACETS_BY_SUFFIX
from intaglio.formats.triangles import TriangleFile
from intaglio.parts.kind import Kind, Model
from intaglio.parts.kinds import FACETS, cad, kind_of
from intaglio.parts.source import ACCEPTED, Source, plain_name
from intaglio.units import MM_PER_UNIT

_NO_UNIT = (*FACETS_BY_SUFFIX, ".brep", ".brp")


@dataclass(frozen=True)
class Taken:
    """model; unit_known: whether the files say it; findings about the files themselves."""

    model: Model
    unit_known: bool
    findings: tuple[Finding, ...]


def take_in(
    source: Source, unit: str, progress: Callable[[float, str], None] = lambda share, doing: None
) -> Taken:
    """Read all files of a source. unit: mm, m … to take their numbers in, or `file` for what they
    say (mm where they say nothing). Raises FileRejected."""
    models: list[Model] = []
    found: list[Finding] = []
    known = True
    files = source.files()
    for k, (name, data) in enumerate(files):
        progress(k / len(files), f"reading {name}")
        suffix = Path(name).suffix.lower()
        if suffix in _NO_UNIT:
            known = False
        if suffix in FACETS_BY_SUFFIX:
            if not data.strip():
                raise FileRejected("empty", f"{name} is empty. Export it again.")
            raw = FACETS_BY_SUFFIX[suffix].read(data, name)
            found += [
                Finding(code, "caution", f"{name}: {words}", cause="The export was interrupted.")
                for code, words in raw.problems
            ]
            models.append(_facets(raw, Path(name).stem))
        elif suffix in CAD_READ:
            part, empty = _with_extent(read_cad(data, name), name)
            found += empty
            models.append(part)
        else:
            raise FileRejected(
                "unknown-kind",
                f"{name} is of no kind that is read. Known are {', '.join(ACCEPTED)}.",
            )
    model = _one(models, "mm" if unit == "file" else unit, unit == "file")
    return Taken(model, known, tuple(found))


def _with_extent(part: Part, name: str) -> tuple[Part, list[Finding]]:
    """The part without bodies that take up no space, which nothing could measure."""
    kept = [k for k, body in enumerate(part.bodies) if has_extent(body)]
    if len(kept) == len(part.bodies):
        return part, []
    if not kept:
        raise FileRejected("no-geometry", f"{name} holds no body that takes up space.")
    gone = [part.body_name(k) for k in range(len(part.bodies)) if k not in kept]
    found = Finding(
        "empty-body",
        "caution",
        f"{name}: bodies without any face that takes up space were left out: {', '.join(gone)}.",
        len(gone),
        cause="The export wrote them empty.",
    )
    return carried(part, [part.bodies[k] for k in kept]), [found]


def _facets(raw: TriangleFile, stem: str) -> FacetPart:
    taken: list[str] = []
    for k, name in enumerate(raw.names):
        only = len(raw.names) == 1
        taken.append(free_name(plain_name(stem if only else name, f"part_{k + 1}"), taken))
    if not len(raw.triangles):
        raise FileRejected("no-triangles", f"{stem} holds no triangle that can be used.")
    part = FacetPart(
        raw.points, raw.triangles, raw.group, raw.group.copy(), tuple(taken), tuple(taken), "mm"
    )
    return welded(part)


def _in_unit(model: Model, unit: str, convert: bool) -> Model:
    """The model in a unit: its numbers converted, or taken as they stand."""
    if not convert or model.unit == unit:
        return replace(model, unit=unit)
    factor = MM_PER_UNIT[model.unit] / MM_PER_UNIT[unit]
    return replace(kind_of(model).scaled(model, factor), unit=unit)


# CAD that is joined with facets becomes facets within this share of its diagonal
_FOLLOWED = 5e-4


def _one(models: list[Model], unit: str, by_file: bool) -> Model:
    """Several models as one: CAD if all are CAD, else facets."""
    if by_file:
        unit = models[0].unit
    models = [_in_unit(m, unit, by_file) for m in models]
    if len(models) == 1:
        return models[0]
    kinds = {kind_of(m).key for m in models}
    if kinds == {"cad"}:
        return whole(cad(), models)
    return whole(FACETS, [kind_of(m).facets(m, _FOLLOWED) for m in models])


def whole(kind: Kind[Any], models: list[Any]) -> Model:
    """Several models of one kind and unit as one."""
    joined: Model = kind.joined(models)
    return joined
