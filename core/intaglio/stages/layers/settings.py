"""The settings of Layers."""

from dataclasses import dataclass
from typing import Any

from intaglio.settings.blanks import blank
from intaglio.stages.layers.rows import LAYER_ROWS


@dataclass(frozen=True)
class LayerSettings:
    layers: list[Any] = blank(
        "layers",
        "layers on walls",
        "Eight to twelve where the flow near walls matters; the first as high as y+ asks for.",
        [],
        rows=LAYER_ROWS,
    )
    lowest: float = blank(
        "number",
        "least height, over what is asked for",
        "0.4 keeps all layers in most corners; 1 lowers none, so that they end sooner.",
        0.4,
        least=0.05,
        most=1.0,
    )
