"""The rows of layers: on which patches, how many, how fast they grow, and how high they are."""

from intaglio.case.friction import ALONG
from intaglio.settings.blanks import Blank
from intaglio.settings.forms import OPTIONAL, PATTERNS, Field, Form, Forms, rows_of

MOST_LAYERS = 100
COUNT = Field("count", Blank("integer", "number of layers", "", least=1, most=MOST_LAYERS), 8)
GROWTH = Blank("number", "growth of layers", "", least=1.0, most=3.0, start=1.2)
FIRST = Field("first", Blank("length", "height of the first layer", "", "{unit}", above=0.0))
_YPLUS = Blank(
    "number", "y+ in the middle of the first layer", "", above=0.0, most=1000.0, start=1.0
)
_LAST = Blank("number", "last layer over the wall's edge", "", above=0.0, most=5.0, start=0.5)
# what y+ follows from: m/s, the model's unit, m²/s
_FLOW = (
    Field("speed", Blank("number", "speed for y+", "", "m/s", above=0.0)),
    Field("length", Blank("length", "length for y+", "", "{unit}", above=0.0)),
    Field("viscosity", Blank("number", "kinematic viscosity for y+", "", "m²/s", above=0.0)),
    Field(
        "along",
        Blank("choice", "what the wall is likened to", "", choices=tuple((a, a) for a in ALONG)),
        "plate",
    ),
)
LAYERS = Forms(
    "Layers",
    (
        Form("yplus", "a wanted y+", (Field("yplus", _YPLUS), *_FLOW), ("yplus",)),
        Form("first", "the first height", (FIRST,), ("first",)),
        Form(
            "total",
            "the height of all",
            (Field("total", Blank("length", "height of all layers", "", "{unit}", above=0.0)),),
            ("total",),
        ),
        Form("last", "the last over the wall's edge", (Field("last", _LAST),), ("last",)),
    ),
    (
        Field("patches", PATTERNS),
        COUNT,
        Field("growth", GROWTH, 1.2),
        Field("solids", Blank("flag", "whether layers grow in solids", ""), OPTIONAL),
    ),
    untold="one of first, total, last and yplus says how high they are.",
)
# what says how high the layers are, with what it follows from
HEIGHTS = tuple(field.name for form in LAYERS.forms for field in form.fields)
LAYER_ROWS = rows_of(LAYERS)
