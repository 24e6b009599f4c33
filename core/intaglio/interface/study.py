"""A part with its settings, in Python: what an analyst does on the screen, in a script."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

import yaml

from intaglio.errors import SettingRejected, StepFailed
from intaglio.formats.registry import MESH_BY_SUFFIX
from intaglio.interface.progress import bars
from intaglio.mesh.mesh import Mesh
from intaglio.parts.reading import source_of
from intaglio.parts.source import Source
from intaglio.recipe.plan import MemoryStore, StageState, run_to
from intaglio.recipe.proving import FLOW, run_proof
from intaglio.recipe.recipe import Recipe, plain_settings, read_recipe, write_recipe
from intaglio.settings.blanks import build
from intaglio.stages.registry import BY_KEY, giving, stages_of
from intaglio.stages.volume import named_mesh

Settings = Mapping[str, Mapping[str, Any]]
# a face of the fluid as the report of Domain tells it, to a patch's name or (name, kind)
Rule = Callable[[Mapping[str, Any]], str | tuple[str, str]]


@dataclass(frozen=True)
class Study:
    """A part, and the settings that are not left to be derived.

    A study does not change: `set` and `name_patches` give another one, which shares what both have
    in common. Every other method runs the stages that are missing, each once, and shows how far
    they are unless `quiet`. Raises the errors of `intaglio.errors`, which say what to do.

    >>> import intaglio
    >>> study = intaglio.open("pipe.step", quiet=True)
    >>> study.set(sizing={"cells": 4000}, layers={"layers": []})
    <Study pipe: layers, sizing>
    """

    name: str
    source: Source
    settings: Settings = field(default_factory=dict)
    numbers: Mapping[str, float] = field(default_factory=dict)
    files: tuple[str, ...] = ()
    quiet: bool = False
    store: MemoryStore = field(default_factory=MemoryStore, repr=False)

    def __repr__(self) -> str:
        given = ", ".join(sorted(k for k, own in self.settings.items() if own))
        return f"<Study {self.name}: {given or 'all derived'}>"

    def set(self, **stages: Mapping[str, Any]) -> "Study":
        """The study with other settings: `sizing={"cells": 200_000}`; those of a stage that are not
        named stay. Raises SettingRejected for one that a stage does not have or cannot use.

        >>> import intaglio
        >>> study = intaglio.open("pipe.step", quiet=True)
        >>> study.set(sizing={"cells": -5})
        Traceback (most recent call last):
            ...
        intaglio.errors.SettingRejected: cells to aim at must be at least 1000.
        """
        settings = {stage: dict(own) for stage, own in self.settings.items()}
        for stage, own in stages.items():
            if stage not in BY_KEY:
                raise SettingRejected(stage, f"There is no stage {stage}: {', '.join(BY_KEY)}.")
            settings[stage] = {**settings.get(stage, {}), **own}
            build(stage, BY_KEY[stage].settings, settings[stage], self.numbers)
        return replace(self, settings=settings)

    def name_patches(self, rule: Rule) -> "Study":
        """The study with its patches named by a rule: a function that is given each face of the
        fluid (`id`, `area`, `centre`, `normal`, `radius`, `surface`, …; see docs/python.md) and
        gives a name, or a name and a kind.

        >>> import intaglio
        >>> study = intaglio.open("pipe.step", quiet=True)
        >>> def rule(face):
        ...     if face["surface"] != "plane":
        ...         return "shell", "wall"
        ...     return ("feed", "inlet") if face["centre"][0] < 1 else ("drain", "outlet")
        >>> [p["name"] for p in study.name_patches(rule).run("patches")["patches"]]
        ['shell', 'drain', 'feed']
        """
        rows: dict[str, dict[str, Any]] = {}
        for face in self.run("domain")["faces"]:
            told = rule(face)
            name, kind = (told, "wall") if isinstance(told, str) else told
            row = rows.setdefault(name, {"name": name, "kind": kind, "faces": []})
            if row["kind"] != kind:
                raise SettingRejected(
                    "patches.patches", f"The rule calls {name} {row['kind']} and {kind}."
                )
            row["faces"].append(face["id"])
        return self.set(patches={"patches": list(rows.values())})

    def run(self, stage: str = "case") -> Mapping[str, Any]:
        """Run all that is missing up to a stage; its report.

        >>> import intaglio
        >>> study = intaglio.open("pipe.step", quiet=True)
        >>> report = study.run("geometry")
        >>> report["unit"], len(report["faces"])
        ('mm', 4)
        """
        report = self._state(stage).report
        assert report is not None
        return report

    def recipe(self, path: str | Path | None = None) -> dict[str, dict[str, Any]]:
        """The settings in force up to Patches and those given, as a recipe has them; written to a
        file with the reason for each, if a path is given.

        >>> import intaglio
        >>> intaglio.open("pipe.step", quiet=True).recipe("pipe.yaml")["domain"]["where"]
        'inside'
        >>> intaglio.open("pipe.yaml")
        <Study pipe: case, domain, geometry, layers, patches, sizing, surface, volume>
        """
        states = self._states("patches")
        # of later stages what was given, with its numbers worked out
        given = plain_settings(Recipe((), self.name, self._given(), dict(self.numbers)))
        settings = {s.stage: dict(s.settings) for s in states if s.settings is not None}
        settings = {**given, **settings}
        if path is not None:
            reasons = {s.stage: s.reasons for s in states}
            base = Path(path).resolve().parent
            files = [_beside(Path(f), base) for f in self.files]
            unit = next((s.report["unit"] for s in states if s.report and "unit" in s.report), "mm")
            part = files[0] if len(files) == 1 else files
            write_recipe(Path(path), part, self.name, settings, reasons, unit)
        return settings

    def mesh(self) -> Mesh:
        """The mesh with its patches: NumPy arrays, as `intaglio.mesh.mesh.Mesh` tells.

        >>> import intaglio
        >>> study = intaglio.open("pipe.step", quiet=True)
        >>> mesh = study.set(sizing={"cells": 4000}, layers={"layers": []}).mesh()
        >>> mesh.points.shape[1], mesh.points.dtype, [p.kind for p in mesh.patches]
        (3, dtype('float64'), ['outlet', 'inlet', 'wall'])
        """
        meshed = giving("mesh", stages_of(self.source.name, self.settings))
        states = {s.stage: s for s in self._states(meshed)}
        states |= {s.stage: s for s in self._states("patches")}
        mesh, patches = states[meshed].key, states["patches"].key
        assert mesh is not None and patches is not None
        return named_mesh(self.store.get(mesh), self.store.get(patches))

    def check(self, stage: str = "case") -> list[dict[str, Any]]:
        """What was found in all stages up to one: findings with their `stage`, errors first.

        >>> import intaglio
        >>> study = intaglio.open("pipe.step", quiet=True)
        >>> [f["code"] for f in study.check("geometry")]
        []
        """
        found = [
            {"stage": s.stage, **finding}
            for s in self._states(stage)
            if s.report is not None
            for finding in s.report.get("findings", [])
        ]
        order = {"error": 0, "caution": 1, "note": 2}
        return sorted(found, key=lambda f: order[f["level"]])

    def case(self) -> dict[str, Any]:
        """The case worked out, as case.yaml has it: SI units, each number with its unit.

        >>> import intaglio
        >>> study = intaglio.open("pipe.step", quiet=True)
        >>> study = study.set(sizing={"cells": 4000}, layers={"layers": []})
        >>> case = study.case()
        >>> case["zones"]["fluid"]["material"], case["patches"]["opening_2"]["condition"]
        ('water', 'speed')
        """
        told: dict[str, Any] = yaml.safe_load(self.case_files()["case.yaml"].tobytes().decode())
        return told

    def export(self, folder: str | Path) -> list[Path]:
        """Write mesh and case into a folder; the files. Every one was read back and compared with
        what was meant. Raises StepFailed while the case has errors.

        >>> import intaglio
        >>> study = intaglio.open("pipe.step", quiet=True)
        >>> study = study.set(sizing={"cells": 4000}, layers={"layers": []})
        >>> study = study.set(case={"files": ["cgns"]})
        >>> [path.name for path in study.export("out")]
        ['README.txt', 'case.yaml', 'mesh.cgns', 'report.json']
        """
        files = self.case_files()
        report = self.run("case")
        if not report["ready"]:
            wrong = " ".join(f["message"] for f in report["findings"] if f["level"] == "error")
            raise StepFailed("not-ready", f"The case cannot be handed over: {wrong}")
        return written(files, Path(folder))

    def prove(self, iterations: int = 50) -> Mapping[str, Any]:
        """Compute so many iterations of the laminar flow on what is handed over: the report with
        verdict, evidence, residuals and results by patch (docs/flow.md). Asked for again, it goes
        on from where it was.

        >>> import intaglio
        >>> study = intaglio.open("pipe.step", quiet=True)
        >>> study = study.set(sizing={"cells": 4000}, layers={"layers": []})
        >>> report = study.set(case={"closure": "laminar"}).prove(5)
        >>> report["iterations"], sorted(report["patches"])
        (5, ['opening_1', 'opening_2', 'wall'])
        """
        made = [key for key, product in self.store.products.items() if "verdict" in product.report]
        with bars(self.quiet) as tell:
            keys = run_proof(
                self.source, self.name, self.settings, self.store, iterations,
                made[-1] if made else None, tell, self.numbers,
            )  # fmt: skip
        return self.store.get(keys[FLOW]).report

    def _given(self) -> dict[str, dict[str, Any]]:
        return {stage: dict(own) for stage, own in self.settings.items()}

    def case_files(self) -> dict[str, Any]:
        """The files that are handed over, by path, as bytes (n,); of a case with errors too."""
        state = self._state("case")
        assert state.key is not None and state.report is not None
        arrays = self.store.get(state.key).arrays
        return {path: arrays[path] for path in state.report["files"]}

    def _states(self, stage: str) -> list[StageState]:
        if stage not in BY_KEY:
            raise SettingRejected(stage, f"There is no stage {stage}: {', '.join(BY_KEY)}.")
        with bars(self.quiet) as tell:
            return run_to(
                stage, self.source, self.name, self.settings, self.store, tell, self.numbers
            )

    def _state(self, stage: str) -> StageState:
        return next(s for s in self._states(stage) if s.stage == stage)


def written(files: Mapping[str, Any], folder: Path) -> list[Path]:
    """Files of bytes (n,) written below a folder; their paths."""
    out = []
    for path, data in files.items():
        (folder / path).parent.mkdir(parents=True, exist_ok=True)
        data.tofile(folder / path)
        out.append(folder / path)
    return out


def _beside(path: Path, base: Path) -> str:
    """A path as seen from a folder, where it lies below it."""
    path = path.resolve()
    return str(path.relative_to(base) if path.is_relative_to(base) else path)


def opened(
    files: Sequence[str | Path],
    part: str | Path | None,
    name: str | None,
    quiet: bool,
    numbers: Mapping[str, float | str],
) -> Study:
    """A study of geometry files, of a finished mesh, or of a recipe with other numbers or another
    part. Raises FileRejected, SettingRejected."""
    paths = [Path(f) for f in files]
    if len(paths) == 1 and paths[0].suffix.lower() in (".yaml", ".yml"):
        recipe = read_recipe(paths[0], numbers)
        parts = recipe.parts if part is None else (Path(part),)
        own = recipe.name if part is None else Path(part).stem
        return Study(
            name or own,
            source_of(list(parts)),
            recipe.settings,
            recipe.numbers,
            tuple(map(str, parts)),
            quiet,
        )
    if numbers or part is not None:
        raise SettingRejected("numbers", "Other numbers and another part are for a recipe.")
    return Study(name or paths[0].stem, source_of(paths), files=tuple(map(str, paths)), quiet=quiet)


def is_mesh(path: Path) -> bool:
    """Whether a file is a finished mesh by its suffix."""
    return path.suffix.lower() in MESH_BY_SUFFIX
