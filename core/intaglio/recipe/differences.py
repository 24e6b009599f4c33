"""Settings of several variants side by side, one row for each value that a recipe would hold."""

from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from intaglio.quality.comparing import Row, row
from intaglio.settings.blanks import blanks_of
from intaglio.stages.registry import STAGES

Settings = Mapping[str, Mapping[str, Any] | None]


def settings_rows(variants: Sequence[Settings]) -> list[Row]:
    """Rows of two or more variants' settings by stage; a list's entries have rows of their own, so
    that a growth in its second row is told as that. None where a variant has no such value."""
    out: list[Row] = []
    for stage in STAGES:
        for name, blank in blanks_of(stage.settings).items():
            held = [dict(leaves((variant.get(stage.key) or {}).get(name))) for variant in variants]
            paths = list(dict.fromkeys(path for leaves in held for path in leaves))
            for path in sorted(paths, key=lambda p: [str(part).zfill(6) for part in p]):
                words = " ".join(_word(part) for part in path)
                label = f"{blank.label}{', ' if words else ''}{words}"
                key = ".".join([stage.key, name, *map(str, path)])
                unit = blank.unit if not path else ""
                values = [leaves.get(path) for leaves in held]
                out.append(row(stage.key, key, label, unit, values))
    return out


def leaves(value: Any, path: tuple[Any, ...] = ()) -> Iterator[tuple[tuple[Any, ...], Any]]:
    """Every value that is no list or mapping, with its way from the top; short lists of numbers or
    names are one value."""
    if isinstance(value, Mapping):
        for key, inner in value.items():
            yield from leaves(inner, (*path, key))
    elif isinstance(value, list) and any(isinstance(v, (Mapping, list)) for v in value):
        for k, inner in enumerate(value):
            yield from leaves(inner, (*path, k))
    elif isinstance(value, list):
        yield path, ", ".join(f"{v:g}" if isinstance(v, float) else str(v) for v in value)
    else:
        yield path, value


def _word(part: Any) -> str:
    return f"{part + 1}" if isinstance(part, int) else str(part)
