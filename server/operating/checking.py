"""Whether all that is kept can be read: every product against its checksum, every study opened."""

from collections.abc import Callable
from dataclasses import dataclass

import zstandard
from django.db.models import F

from studies.api.variants import variant_data
from studies.models import Product, Study, Variant
from studies.store import DamagedProduct, read_stored


@dataclass(frozen=True)
class Checked:
    """How many of each were looked at, and what is wrong, in words."""

    studies: int
    products: int
    wrong: tuple[str, ...]


def check(tell: Callable[[str], None] = lambda _: None) -> Checked:
    """Read everything that is kept."""
    wrong = []
    keys = list(Product.objects.order_by("key").values_list("key", flat=True))
    for number, key in enumerate(keys):
        if number % 100 == 0:
            tell(f"{number} of {len(keys)} products")
        product = Product.objects.filter(key=key).first()
        if product is None:
            continue  # made to be looked at, and gone
        try:
            read_stored(product)
        except (DamagedProduct, zstandard.ZstdError) as error:
            wrong.append(f"product {key[:12]}… of {product.stage}: {error}")
    studies = list(Study.objects.order_by("id"))
    for variant in Variant.objects.filter(study__in=studies).annotate(of=F("study__name")):
        try:
            variant_data(variant)
        except Exception as error:
            wrong.append(f"study {variant.of}, variant {variant.name}: {error}")
        missing = set(variant.shown.values()) - set(keys)
        if missing:
            wrong.append(f"study {variant.of}, variant {variant.name}: {len(missing)} results lost")
    return Checked(len(studies), len(keys), tuple(wrong))
