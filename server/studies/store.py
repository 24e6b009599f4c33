"""Products in PostgreSQL: compressed, in chunks, checked when read, with a cache on disk."""

import contextlib
import functools
import hashlib
import sqlite3
from collections.abc import Mapping
from typing import Any

import diskcache
import zstandard
from django.conf import settings
from django.db import transaction

from intaglio.mesh.pack import pack, unpack
from intaglio.parts.model import Product as CoreProduct
from studies.models import Chunk, Product
from studies.storable import bounded

CHUNK_BYTES = 4 * 2**20


class DamagedProduct(Exception):
    """A stored product does not match its checksum."""

    def __init__(self, key: str):
        super().__init__(
            f"The stored result {key[:12]}… is damaged: its checksum does not match. "
            "Change a setting of that stage and run it again, or restore the database."
        )


def save_bytes(
    key: str, stage: str, report: Mapping[str, Any], data: bytes, live: bool = False
) -> Product:
    """Write a product whole or not at all; one that exists is left as it is."""
    with transaction.atomic():
        product, made = Product.objects.get_or_create(
            key=key,
            defaults={
                "stage": stage,
                "report": bounded(report),
                "sha256": hashlib.sha256(data).hexdigest(),
                "size": len(data),
                "live": live,
            },
        )
        if made:
            packed = zstandard.ZstdCompressor(level=3).compress(data)
            Product.objects.filter(key=key).update(stored=len(packed))
            for number, start in enumerate(range(0, len(packed), CHUNK_BYTES)):
                Chunk.objects.create(
                    product=product, number=number, data=packed[start : start + CHUNK_BYTES]
                )
    return product


def load_bytes(key: str) -> bytes:
    """A product's bytes, from the cache or the database. Raises DamagedProduct, DoesNotExist."""
    product = Product.objects.get(key=key)
    with contextlib.suppress(*_CACHE_TROUBLE):
        data = _cache().get(key)
        if data is not None and hashlib.sha256(data).hexdigest() == product.sha256:
            return bytes(data)
    data = read_stored(product)
    with contextlib.suppress(*_CACHE_TROUBLE):
        _cache().set(key, data)
    return data


def read_stored(product: Product) -> bytes:
    """A product's bytes from the database, whatever the cache has. Raises DamagedProduct."""
    packed = b"".join(
        bytes(c) for c in product.chunks.order_by("number").values_list("data", flat=True)
    )
    try:
        data = zstandard.ZstdDecompressor().decompress(packed, max_output_size=product.size + 1)
    except zstandard.ZstdError as error:
        raise DamagedProduct(product.key) from error
    if hashlib.sha256(data).hexdigest() != product.sha256:
        raise DamagedProduct(product.key)
    return data


# a cache that is full, locked or damaged is no error: the database has everything
_CACHE_TROUBLE = (OSError, sqlite3.Error, diskcache.Timeout)


def _cache() -> diskcache.Cache:
    """The products looked at last, on disk; they make room for each other."""
    return _opened(str(settings.PRODUCT_CACHE), settings.CACHE_BYTES)


@functools.lru_cache(maxsize=2)
def _opened(folder: str, most: int) -> diskcache.Cache:
    return diskcache.Cache(
        folder, timeout=2, size_limit=most, eviction_policy="least-recently-used"
    )


class DatabaseStore:
    """Reports from the database, each asked for once."""

    def __init__(self) -> None:
        self._told: dict[str, Mapping[str, Any]] = {}

    def report(self, key: str) -> Mapping[str, Any] | None:
        if key not in self._told:
            found = Product.objects.filter(key=key).values_list("report", flat=True).first()
            if found is None:
                return None
            self._told[key] = found
        return self._told[key]

    def get(self, key: str) -> CoreProduct:
        return CoreProduct(*unpack(load_bytes(key)))

    def put(self, key: str, stage: str, product: CoreProduct) -> None:
        save_bytes(key, stage, product.report, pack(product.arrays, product.report))
