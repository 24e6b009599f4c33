"""Products in PostgreSQL: compressed, in chunks, checked when read, with a cache on disk."""

import contextlib
import hashlib
import os
from pathlib import Path
from typing import Any

import zstandard
from django.conf import settings
from django.db import transaction

from intaglio.mesh.pack import pack, unpack
from intaglio.parts.model import Product as CoreProduct
from studies.models import Chunk, Product

CHUNK_BYTES = 4 * 2**20


class DamagedProduct(Exception):
    """A stored product does not match its checksum."""

    def __init__(self, key: str):
        super().__init__(
            f"The stored result {key[:12]}… is damaged: its checksum does not match. "
            "Change a setting of that stage and run it again, or restore the database."
        )


def save_bytes(
    key: str, stage: str, report: dict[str, Any], data: bytes, live: bool = False
) -> Product:
    """Write a product whole or not at all; one that exists is left as it is."""
    with transaction.atomic():
        product, made = Product.objects.get_or_create(
            key=key,
            defaults={
                "stage": stage,
                "report": report,
                "sha256": hashlib.sha256(data).hexdigest(),
                "size": len(data),
                "live": live,
            },
        )
        if made:
            packed = zstandard.ZstdCompressor(level=3).compress(data)
            for number, start in enumerate(range(0, len(packed), CHUNK_BYTES)):
                Chunk.objects.create(
                    product=product, number=number, data=packed[start : start + CHUNK_BYTES]
                )
    return product


def load_bytes(key: str) -> bytes:
    """A product's bytes, from the cache or the database. Raises DamagedProduct, DoesNotExist."""
    product = Product.objects.get(key=key)
    path = _cache_path(key)
    with contextlib.suppress(OSError):
        data = path.read_bytes()
        if hashlib.sha256(data).hexdigest() == product.sha256:
            os.utime(path)
            return data
    packed = b"".join(
        bytes(c) for c in product.chunks.order_by("number").values_list("data", flat=True)
    )
    try:
        data = zstandard.ZstdDecompressor().decompress(packed, max_output_size=product.size + 1)
    except zstandard.ZstdError as error:
        raise DamagedProduct(key) from error
    if hashlib.sha256(data).hexdigest() != product.sha256:
        raise DamagedProduct(key)
    _cache(path, data)
    return data


def _cache_path(key: str) -> Path:
    return Path(settings.PRODUCT_CACHE) / key[:2] / key


def _cache(path: Path, data: bytes) -> None:
    """Keep a copy on disk; failing to do so is no error."""
    with contextlib.suppress(OSError):
        path.parent.mkdir(parents=True, exist_ok=True)
        partial = path.with_suffix(f".{os.getpid()}")
        partial.write_bytes(data)
        partial.replace(path)
        _trim()


def _trim() -> None:
    files = [
        (p.stat().st_mtime, p.stat().st_size, p) for p in Path(settings.PRODUCT_CACHE).glob("*/*")
    ]
    total = sum(size for _, size, _ in files)
    for _, size, path in sorted(files):
        if total <= settings.CACHE_BYTES:
            return
        path.unlink(missing_ok=True)
        total -= size


class DatabaseStore:
    """The core's store, kept in the database. live: the stage whose product is made only to be
    looked at while settings are typed."""

    def __init__(self, live: str | None = None) -> None:
        self.live = live

    def report(self, key: str) -> dict[str, Any] | None:
        return Product.objects.filter(key=key).values_list("report", flat=True).first()

    def get(self, key: str) -> CoreProduct:
        arrays, report = unpack(load_bytes(key))
        return CoreProduct(arrays, report)

    def put(self, key: str, stage: str, product: CoreProduct) -> None:
        data = pack(product.arrays, product.report)
        save_bytes(key, stage, product.report, data, live=stage == self.live)
