"""A set of models like the world's: made by scripts, seeded, none like the demo models.

`SET` has every model by name; a model is CAD or facets, and made when it is asked for.
"""

from tests.core.world.organic import ORGANIC
from tests.core.world.shaped import SHAPED

SET = {m.name: m for m in (*SHAPED, *ORGANIC)}
