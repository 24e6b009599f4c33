"""The pace of this machine, by the last products of the stages that take long."""

from django.core.cache import cache

from intaglio.recipe.pace import pace
from intaglio.stages.registry import STAGES
from studies.models import Product

_LAST = 9
_SECONDS = 20


def machine_pace() -> dict[str, float]:
    """Seconds over those that the constants tell, by stage; looked up again after a while."""
    held: dict[str, float] | None = cache.get("pace")
    if held is None:
        held = pace(
            {
                stage.key: list(
                    Product.objects.filter(stage=stage.key)
                    .order_by("-created")
                    .values_list("report", flat=True)[:_LAST]
                )
                for stage in STAGES
                if stage.usual is not None
            }
        )
        cache.set("pace", held, _SECONDS)
    return held
