"""Intaglio's computation: geometry, surface and volume meshes, export. No web, no database."""

__version__ = "0.1.0"
