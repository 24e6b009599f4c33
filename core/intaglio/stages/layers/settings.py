"""The settings of Layers."""

from dataclasses import dataclass
from typing import Any

from intaglio.layers.grow import LOWEST
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
    onward: str = blank(
        "choice",
        "towards the core",
        "Where the last layer is much lower than the core's cells, more layers lead over to them.",
        "stop",
        choices=(
            ("stop", "end with the number asked for"),
            ("meet", "grow on until they meet the core"),
        ),
    )
    lowest: float = blank(
        "number",
        "least height of the first layer, over what is asked for",
        "0.02 keeps them in all but the sharpest corners; 1 thins none, so that they end.",
        LOWEST,
        least=0.01,
        most=1.0,
    )
