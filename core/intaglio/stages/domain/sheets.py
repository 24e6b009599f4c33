"""Bodies drawn without a thickness, standing in the fluid as walls with two sides."""

from intaglio.errors import SettingRejected
from intaglio.findings import PLACES, Finding
from intaglio.parts.kind import Model
from intaglio.parts.kinds import kind_of
from intaglio.stages.domain.fluid import Extraction, Fluid


def chosen_sheets(names: list[str], model: Model) -> list[str]:
    """The open bodies that a setting names; * means all. Raises SettingRejected for a name of none,
    or of a body that bounds a volume."""
    rows = kind_of(model).bodies(model)
    if "*" in names:
        return [row["name"] for row in rows if not row["solid"]]
    solid = {row["name"]: row["solid"] for row in rows}
    for name in names:
        if name not in solid:
            raise SettingRejected("domain.sheets", f"There is no body called {name}.")
        if solid[name]:
            raise SettingRejected(
                "domain.sheets", f"{name} bounds a volume, so it is no sheet. Untick it."
            )
    return list(dict.fromkeys(names))


def with_sheets(
    extraction: Extraction, fluid: Fluid, model: Model, names: list[str]
) -> tuple[Fluid, list[Finding]]:
    """The fluid with sheets of a model in it, and what is to be known about them."""
    before = len(kind_of(fluid.model).zone_volumes(fluid.model))
    out = extraction.embed(fluid, model, names)
    found = []
    lost = [name for name in names if name not in out.sheet.values()]
    if lost:
        found.append(
            Finding(
                "sheet-outside",
                "caution",
                f"Sheets of which nothing stands in the fluid: {', '.join(lost[:5])}.",
                len(lost),
                [_middle(model, name) for name in lost[:PLACES]],
                "They lie outside, within a body or on a wall. Untick them, or move them.",
            )
        )
    after = len(kind_of(out.model).zone_volumes(out.model))
    if out.pieces and after > before:
        found.append(
            Finding(
                "sheet-parts-zone",
                "caution",
                "Sheets part a zone into spaces that nothing flows between.",
                after - before,
                advice="Leave a passage, or give each space a pin and a name of its own.",
            )
        )
    return out, found


def _middle(model: Model, name: str) -> list[float]:
    low, high = kind_of(model).limits(kind_of(model).per_body(model)[name])
    middle: list[float] = (0.5 * (low + high)).tolist()
    return middle
