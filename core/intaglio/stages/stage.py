"""What a stage is: its settings, its brief in sentences, its defaults, its step, what it costs.

Each stage is a module or package of its own that exposes STAGE; `registry` lists them.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

from intaglio.parts.model import Product
from intaglio.parts.source import Source

Report = Mapping[str, Any]
# reports of the earlier stages by key
Reports = Mapping[str, Report]
# settings and the reason for each
Derived = tuple[dict[str, Any], dict[str, str]]
# the stage's own settings that are given by hand, those of them that can be used
Given = Mapping[str, Any]
Progress = Callable[[float, str], None]
Show = Callable[[Product], None]


@dataclass(frozen=True)
class Sentence:
    """A sentence with blanks in braces; shown only while each setting of `only` has one of the
    values given there, so that a brief holds no blank without effect. of_model: the same for facts
    that the page knows: the model's `kind` (cad, facets), `open` bodies and `layered` walls (yes,
    no)."""

    text: str
    only: tuple[tuple[str, tuple[str, ...]], ...] = ()
    of_model: tuple[tuple[str, tuple[str, ...]], ...] = ()

    def shown(self, settings: Mapping[str, Any]) -> bool:
        return all(settings.get(name) in values for name, values in self.only)


@dataclass(frozen=True)
class Cost:
    """What running a stage is expected to take: seconds, and bytes of memory at the peak."""

    seconds: float
    memory: float = 0.0


@dataclass(frozen=True)
class Run:
    """What a step may use: its settings; the study's name and source; products and settings of the
    stages it needs, by key; the reports of all that have run; where to tell progress; where
    to show what there is to be seen before the step is done; and the stage's own product that this
    one is made from, where it has `base`."""

    settings: Any
    name: str
    source: Source
    product: Callable[[str], Product]
    settings_of: Callable[[str], Any]
    reports: Reports
    tell: Progress
    show: Show
    base: Product | None = None


@dataclass(frozen=True)
class Stage:
    """A stage.

    settings, report: the types of what goes in and of what is told. needs: stages whose products
    the step uses. run: the step. defaults: settings derived from the reports of earlier stages,
    None while one is missing; what is given by hand may matter too, where one setting follows from
    another. cost: what the step is expected to take, from those reports. version is part of every
    product's key: raise it when the computation changes its result. enters: those of `needs` that
    matter with given settings, where not all do; only they enter the key. also: what of the earlier
    stages' reports and settings enters it besides, None while a report is missing that tells it.
    usual: of stages that take long, the seconds that a machine of 2026 takes for what a report, or
    a forecast of Sizing, counts. named: whether the study's name enters the key too. apart:
    settings by which nothing is computed, which stay out of the key; judge adds to the report what
    follows from them. gives: what its product has for whoever asks not which stage it is: the
    `model` (geometry, faces, drawn), the `fluid` (a model with patches' faces and zones), `sizes`,
    the `surface`, the `mesh`. later: settings that came after studies were kept, with the value
    that was the rule before: while they have it they stay out of the key.
    """

    key: str
    title: str
    settings: type
    report: type
    sentences: tuple[Sentence, ...]
    action: str
    needs: tuple[str, ...]
    run: Callable[[Run], Product]
    defaults: Callable[[Reports, Given], Derived | None]
    cost: Callable[[Reports], Cost]
    version: int = 1
    enters: Callable[[Mapping[str, Any]], tuple[str, ...]] | None = None
    also: Callable[[Reports, Mapping[str, Mapping[str, Any]]], Any] | None = None
    usual: Callable[[Report], float] | None = None
    named: bool = False
    base: Callable[[Mapping[str, Any]], Mapping[str, Any]] = lambda settings: settings
    apart: tuple[str, ...] = ()
    judge: Callable[[Report, Mapping[str, Any]], Report] | None = None
    gives: tuple[str, ...] = ()
    later: Mapping[str, Any] = field(default_factory=dict)

    def inputs(self, settings: Mapping[str, Any]) -> tuple[str, ...]:
        """The stages whose products' keys enter this one's key."""
        return self.needs if self.enters is None else self.enters(settings)


def from_report(
    stage: str, derive: Callable[[Report], Derived]
) -> Callable[[Reports, Given], Derived | None]:
    """Defaults that one earlier stage's report gives."""
    return lambda reports, given: derive(reports[stage]) if stage in reports else None
