"""Recipe files: a part and the settings of each stage, as YAML."""

import re
from collections.abc import Collection, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import yaml

from intaglio.errors import FileRejected, SettingRejected
from intaglio.parts import source
from intaglio.recipe.accepted import ACCEPTED, check_accepted
from intaglio.settings.blanks import blanks_of, build, check_value
from intaglio.settings.expressions import evaluate
from intaglio.stages.case.earlier import of_today
from intaglio.stages.registry import BY_KEY, STAGES

VERSION = 1
# suffixes of files that are given in place of a recipe by mistake
_NO_RECIPES = {*source.ACCEPTED, *source.MESHES}


@dataclass(frozen=True)
class Recipe:
    """parts: paths of the geometry files; settings by stage, in order, with the findings accepted;
    numbers for expressions."""

    parts: tuple[Path, ...]
    name: str
    settings: dict[str, dict[str, Any]]
    numbers: dict[str, float] = field(default_factory=dict)


def _numbers(raw: Any, others: Mapping[str, float | str]) -> dict[str, float]:
    """The numbers by name, some with other values; those that follow from them follow."""
    raw = {} if raw is None else raw
    if not isinstance(raw, Mapping):
        raise SettingRejected("numbers", "numbers needs names with values.")
    for name in others:
        if name not in raw:
            known = f"It has {', '.join(map(str, raw))}." if raw else "It has no numbers."
            raise SettingRejected(
                f"numbers.{name}", f"The recipe has no number called {name}. {known}"
            )
    raw = {**raw, **others}
    out: dict[str, float] = {}
    for name, value in raw.items():
        try:
            out[str(name)] = evaluate(str(value), out)
        except ValueError as error:
            raise SettingRejected(f"numbers.{name}", f"{name}: {error}.") from error
    return out


def read_recipe(path: Path, others: Mapping[str, float | str] | None = None) -> Recipe:
    """Read a recipe; part may be one file or a list; others: numbers to take in place of its own.
    Raises FileRejected or SettingRejected."""
    if path.suffix.lower() in _NO_RECIPES:
        raise FileRejected(
            "not-recipe",
            f"{path} is no recipe but a part or a mesh. `intaglio draft {path} -o RECIPE` writes "
            "one for it.",
        )
    try:
        raw = yaml.safe_load(path.read_text(encoding="utf-8"))
    except OSError as error:
        raise FileRejected("unreadable", f"{path} cannot be read: {error.strerror}.") from error
    except (yaml.YAMLError, UnicodeDecodeError) as error:
        raise FileRejected("not-yaml", f"{path} is not a YAML file: {error}") from error
    if not isinstance(raw, Mapping):
        raise FileRejected("not-recipe", f"{path} is not a recipe: it holds no settings.")
    if raw.get("recipe") != VERSION:
        raise FileRejected(
            "not-recipe",
            f"{path} is not a recipe of version {VERSION}: “recipe: {VERSION}” is missing.",
        )
    parts = [raw.get("part")] if isinstance(raw.get("part"), str) else raw.get("part")
    if not isinstance(parts, list) or not parts or not all(isinstance(p, str) for p in parts):
        raise FileRejected("no-part", f"{path} names no part. Add “part: FILE.step”.")
    known = {"recipe", "part", "name", "numbers", ACCEPTED, *BY_KEY}
    unknown = sorted(str(k) for k in set(raw) - known)
    if unknown:
        raise SettingRejected(
            unknown[0], f"A recipe has no “{unknown[0]}”. It has {', '.join(sorted(known))}."
        )
    settings: dict[str, dict[str, Any]] = {}
    for key in BY_KEY:
        own = raw.get(key) or {}
        if not isinstance(own, Mapping):
            raise SettingRejected(key, f"{key} needs settings by name.")
        settings[key] = of_today(own) if key == "case" else dict(own)
    if raw.get(ACCEPTED):
        settings[ACCEPTED] = check_accepted(raw[ACCEPTED])
    files = [Path(p) for p in parts]
    return Recipe(
        tuple(p if p.is_absolute() else path.parent / p for p in files),
        str(raw.get("name") or files[0].stem),
        settings,
        _numbers(raw.get("numbers"), others or {}),
    )


def plain_settings(recipe: Recipe) -> dict[str, dict[str, Any]]:
    """The recipe's settings with every expression worked out. Raises SettingRejected."""
    out: dict[str, dict[str, Any]] = {}
    for stage, own in recipe.settings.items():
        if stage == ACCEPTED:
            out[stage] = dict(own)
            continue
        known = blanks_of(BY_KEY[stage].settings)
        build(stage, BY_KEY[stage].settings, own, recipe.numbers)
        values = {
            name: check_value(f"{stage}.{name}", known[name], value, recipe.numbers)
            for name, value in own.items()
        }
        if values:
            out[stage] = values
    return out


def write_recipe(
    path: Path,
    part: str | list[str],
    name: str,
    settings: Mapping[str, Mapping[str, Any]],
    reasons: Mapping[str, Mapping[str, str]],
    unit: str,
    decided: Mapping[str, Collection[str]] | None = None,
) -> None:
    """Write a recipe with each setting's meaning and reason as a comment. decided: names by stage
    of the settings that are, where the others are to stay derived: these are comments too."""
    lines = ["# A recipe of Intaglio: `intaglio run` turns it into mesh and case."]
    if decided is not None:
        lines.append("# What follows from the part is a comment: without its # it is decided.")
    lines.append("recipe: 1")
    lines.append(_yaml({"part": part}))
    lines.append(_yaml({"name": name}))
    for stage in STAGES:
        own = settings.get(stage.key)
        if not own:
            continue
        # only what has an effect as the other settings are
        shown = {
            n for t in stage.sentences if t.shown(own) for n in re.findall(r"\{(\w+)\}", t.text)
        }
        # what depends on the model has an effect at least where it says anything
        depends = {
            n for t in stage.sentences if t.of_model for n in re.findall(r"\{(\w+)\}", t.text)
        }
        usual = stage.settings()
        lines += ["", f"{stage.key}:"]
        for key, b in blanks_of(stage.settings).items():
            if key not in own or key not in shown:
                continue
            if key in depends and own[key] == getattr(usual, key):
                continue
            why = reasons.get(stage.key, {}).get(key, "")
            in_unit = f" in {b.unit.format(unit=unit)}" if b.unit else ""
            lines.append(f"  # {b.label}{in_unit}. {why}".rstrip())
            body = _yaml({key: own[key]})
            follows = decided is not None and key not in decided.get(stage.key, ())
            lines += [("  # " if follows else "  ") + line for line in body.splitlines()]
    if settings.get(ACCEPTED):
        lines += ["", "# findings that were let stand, with the reason", f"{ACCEPTED}:"]
        lines += ["  " + line for line in _yaml(settings[ACCEPTED]).splitlines()]
    path.write_text("\n".join(lines) + "\n", encoding="utf-8")


def _yaml(values: Mapping[str, Any]) -> str:
    """One `key: value` per line; lists and rows of patches on lines of their own."""
    lines = []
    for key, value in values.items():
        if isinstance(value, list) and value and isinstance(value[0], dict):
            rows = [
                yaml.safe_dump(
                    r, sort_keys=False, allow_unicode=True, default_flow_style=True, width=10_000
                )
                for r in value
            ]
            lines += [f"{key}:", *(f"  - {row.strip()}" for row in rows)]
        else:
            lines.append(
                yaml.safe_dump(
                    {key: value},
                    allow_unicode=True,
                    default_flow_style=isinstance(value, list),
                    width=10_000,
                )
                .strip()
                .removeprefix("{")
                .removesuffix("}")
                if isinstance(value, list)
                else yaml.safe_dump({key: value}, allow_unicode=True, width=10_000).strip()
            )
    return "\n".join(lines)
