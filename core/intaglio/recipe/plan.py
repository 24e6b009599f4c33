"""Running stages in order, from settings to products, through a store that remembers.

A product's key is a hash of the stage, its version, its settings and the keys of its inputs, so
that a changed setting makes exactly what depends on it out of date, and going back finds the old
product.
"""

import contextlib
import dataclasses
import hashlib
import json
import resource
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Protocol

from intaglio.cad.faults import is_kernel_fault
from intaglio.errors import SettingRejected, StepFailed
from intaglio.parts.model import Product
from intaglio.parts.source import Source
from intaglio.recipe.accepted import ACCEPTED, marked
from intaglio.settings.blanks import blanks_of, build, check_value
from intaglio.stages.registry import BY_KEY, STAGES, stages_of
from intaglio.stages.stage import Run, Stage

Progress = Callable[[str, float, str], None]
# the stage, its product's key, and what there is of the product before the step is done
Show = Callable[[str, str, Product], None]


class Store(Protocol):
    """Where products are kept, by key."""

    def report(self, key: str) -> Mapping[str, Any] | None:
        """The report of a product, or None if there is no such product."""

    def get(self, key: str) -> Product: ...

    def put(self, key: str, stage: str, product: Product) -> None: ...


class MemoryStore:
    """Products of one run."""

    def __init__(self) -> None:
        self.products: dict[str, Product] = {}

    def report(self, key: str) -> Mapping[str, Any] | None:
        product = self.products.get(key)
        return None if product is None else product.report

    def get(self, key: str) -> Product:
        return self.products[key]

    def put(self, key: str, stage: str, product: Product) -> None:
        self.products[key] = product


@dataclass(frozen=True)
class StageState:
    """A stage of a variant: its settings in force, their defaults with reasons, and its key.

    settings is None, and key too, while the reports that its defaults come from are missing. error
    is set where a setting cannot be used; `changed` names the settings that differ from defaults.
    """

    stage: str
    settings: dict[str, Any] | None
    default: dict[str, Any] | None
    reasons: dict[str, str]
    key: str | None
    report: Mapping[str, Any] | None
    changed: tuple[str, ...]
    error: SettingRejected | None


def source_key(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()


def product_key(
    stage: str, settings: Mapping[str, Any], inputs: list[str], version: int | None = None
) -> str:
    """Hash of stage, its version, its settings and its inputs' keys."""
    version = BY_KEY[stage].version if version is None else version
    text = json.dumps([stage, version, settings, inputs], sort_keys=True, separators=(",", ":"))
    return hashlib.sha256(text.encode()).hexdigest()


def states(
    source: str,
    name: str,
    given: Mapping[str, Mapping[str, Any]],
    report_of: Callable[[str], Mapping[str, Any] | None],
    numbers: Mapping[str, float] | None = None,
    stages: tuple[Stage, ...] = STAGES,
) -> list[StageState]:
    """Every stage's state. source: key of the file; given: settings by stage, where not default,
    and findings that were accepted;
    stages: those of this kind of source."""
    out: list[StageState] = []
    keys: dict[str, str] = {}
    reports: dict[str, Mapping[str, Any]] = {}
    chosen: dict[str, Mapping[str, Any]] = {}
    for stage in stages:
        own = given.get(stage.key, {})
        derived = stage.defaults(reports, usable(stage, own, numbers or {}))
        key = report = None
        settings: dict[str, Any] | None = None
        error: SettingRejected | None = None
        if derived is not None:
            merged = {**derived[0], **own}
            try:
                settings = dataclasses.asdict(build(stage.key, stage.settings, merged, numbers))
            except SettingRejected as problem:
                error, settings = problem, dict(merged)
        if error is None and settings is not None and all(n in keys for n in stage.needs):
            inputs = [keys[n] for n in stage.inputs(settings)] or [source]
            hashed = {
                k: v
                for k, v in settings.items()
                if k not in stage.apart and (k not in stage.later or stage.later[k] != v)
            }
            if stage.named:
                hashed["name"] = name
            if stage.also is not None:
                known = {**chosen, stage.key: settings}
                hashed = {**hashed, "also": stage.also(reports, known)}
            key = product_key(stage.key, hashed, inputs, stage.version)
            chosen[stage.key] = settings
            keys[stage.key] = key
            report = report_of(key)
            if report is not None:
                if stage.judge is not None:
                    report = stage.judge(report, settings)
                report = marked(report, stage.key, given.get(ACCEPTED, {}))
                reports[stage.key] = report
        changed = tuple(
            k
            for k in blanks_of(stage.settings)
            if k in own and (derived is None or derived[0].get(k) != own[k])
        )
        out.append(
            StageState(
                stage.key,
                settings,
                derived[0] if derived else None,
                derived[1] if derived else {},
                key,
                report,
                changed,
                error,
            )
        )
    return out


def usable(stage: Stage, own: Mapping[str, Any], numbers: Mapping[str, float]) -> dict[str, Any]:
    """Those of a stage's settings given by hand that pass their checks, as their types."""
    out = {}
    for name, described in blanks_of(stage.settings).items():
        if name in own:
            with contextlib.suppress(SettingRejected):
                out[name] = check_value(f"{stage.key}.{name}", described, own[name], numbers)
    return out


def stages_before(target: str, stages: tuple[Stage, ...] = STAGES) -> list[str]:
    """The target and all it needs, in working order."""
    wanted = {target}
    for stage in reversed(stages):
        if stage.key in wanted:
            wanted |= set(stage.needs)
    return [s.key for s in stages if s.key in wanted]


def costs(
    wanted: list[str],
    reports: Mapping[str, Mapping[str, Any]],
    stages: tuple[Stage, ...] = STAGES,
) -> dict[str, float]:
    """Seconds that each of the wanted stages is expected to take, from the reports there are."""
    by_key = {stage.key: stage for stage in stages}
    return {key: max(0.1, by_key[key].cost(reports).seconds) for key in wanted}


def run_to(
    target: str,
    source: Source,
    name: str,
    given: Mapping[str, Mapping[str, Any]],
    store: Store,
    progress: Progress = lambda stage, share, doing: None,
    numbers: Mapping[str, float] | None = None,
    show: Show = lambda stage, key, product: None,
) -> list[StageState]:
    """Run all that is missing up to the target; the states after it. Raises the core's errors."""
    origin = source_key(source.data)
    stages = stages_of(source.name, given)
    by_key = {stage.key: stage for stage in stages}
    if target not in by_key:
        raise StepFailed(
            "no-stage",
            f"{source.name} does not go through {BY_KEY[target].title} as it is meshed: it goes "
            f"through {', '.join(s.title for s in stages)}.",
        )
    for stage in stages_before(target, stages):
        now = {s.stage: s for s in states(origin, name, given, store.report, numbers, stages)}
        state = now[stage]
        if state.error is not None:
            raise state.error
        assert state.settings is not None and state.key is not None
        if state.report is not None:
            continue
        base = _base(by_key[stage], state, source, name, given, store, progress, numbers)
        started = time.monotonic()
        _reset_peak()
        progress(stage, 0.0, "starting")

        def tell(share: float, doing: str, stage: str = stage) -> None:
            progress(stage, share, doing)

        def look(product: Product, stage: str = stage, key: str = state.key) -> None:
            show(stage, key, product)

        product = _run(by_key, stage, now, source, name, store, tell, look, base)
        seconds, peak = time.monotonic() - started, _peak_mb()
        if base is not None:
            # what it is made from belongs to what it takes
            before = base.report["step"]
            seconds, peak = seconds + before["seconds"], max(peak, before["peak_mb"])
        told = {"name": stage, "seconds": round(seconds, 3), "peak_mb": peak}
        store.put(state.key, stage, Product(product.arrays, {**product.report, "step": told}))
        progress(stage, 1.0, "done")
    return states(origin, name, given, store.report, numbers, stages)


def _base(
    described: Stage,
    state: StageState,
    source: Source,
    name: str,
    given: Mapping[str, Mapping[str, Any]],
    store: Store,
    progress: Progress,
    numbers: Mapping[str, float] | None,
) -> Product | None:
    """The product of the same stage that a product is made from, made and kept if need be."""
    assert state.settings is not None
    stage, settings = described.key, described.base(state.settings)
    if settings == state.settings:
        return None
    others = {**given, stage: settings}
    after = run_to(stage, source, name, others, store, progress, numbers)
    key = next(s.key for s in after if s.stage == stage)
    assert key is not None
    return store.get(key)


def _run(
    by_key: Mapping[str, Stage],
    stage: str,
    now: Mapping[str, StageState],
    source: Source,
    name: str,
    store: Store,
    tell: Callable[[float, str], None],
    look: Callable[[Product], None],
    base: Product | None,
) -> Product:
    def product(other: str) -> Product:
        key = now[other].key
        assert key is not None
        return store.get(key)

    def settings_of(other: str) -> Any:
        settings = now[other].settings
        assert settings is not None
        return by_key[other].settings(**settings)

    reports = {s.stage: s.report for s in now.values() if s.report is not None}
    run = Run(settings_of(stage), name, source, product, settings_of, reports, tell, look, base)
    try:
        return by_key[stage].run(run)
    except Exception as error:
        if not is_kernel_fault(error):
            raise
        raise StepFailed(
            "kernel",
            f"The CAD kernel could not work on {source.name} at {by_key[stage].title}: {error}. "
            "Look at the findings of the geometry, mend the part, or export it in another format.",
        ) from error


def _reset_peak() -> None:
    """Start the kernel's record of peak memory anew, where it lets us."""
    try:
        Path("/proc/self/clear_refs").write_text("5")
    except OSError:
        return


def _peak_mb() -> float:
    """Peak resident memory in MB since the last reset, or of the process."""
    try:
        for line in Path("/proc/self/status").read_text().splitlines():
            if line.startswith("VmHWM"):
                return round(int(line.split()[1]) * 1024 / 1e6, 1)
    except OSError:
        pass
    return round(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024 / 1e6, 1)
