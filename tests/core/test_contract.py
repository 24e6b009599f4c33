"""The arrows of the architecture: web → server → core, and inward within the core."""

import ast
from pathlib import Path

import pytest

CORE = Path(__file__).parents[2] / "core/intaglio"

# what each part of the core may import, besides itself and the errors
MAY = {
    "numeric": set(),
    "triangles": {"numeric"},
    "settings": set(),
    "mesh": {"numeric"},
    "quality": {"numeric", "settings", "mesh", "triangles"},
    "facets": {"numeric", "triangles"},
    "sizing": {"numeric", "triangles"},
    "remeshing": {"numeric", "triangles", "sizing"},
    "cad": {"numeric", "triangles", "facets", "remeshing"},
    "volume": {"numeric", "triangles", "sizing"},
    "rooms": {"numeric", "triangles", "volume"},
    "layers": {"numeric", "triangles", "facets", "sizing", "mesh", "quality", "volume"},
    "case": {"mesh", "settings"},
    "formats": {"mesh", "case"},
    "handover": {"case", "formats", "mesh"},
    "parts": {
        "numeric",
        "settings",
        "triangles",
        "facets",
        "remeshing",
        "rooms",
        "cad",
        "mesh",
        "formats",
    },
    "stages": {
        "numeric",
        "settings",
        "triangles",
        "facets",
        "sizing",
        "remeshing",
        "cad",
        "volume",
        "layers",
        "mesh",
        "quality",
        "case",
        "formats",
        "handover",
        "parts",
    },
    "recipe": {
        "numeric",
        "settings",
        "parts",
        "stages",
        "cad",
        "volume",
        "mesh",
        "proof",
        "quality",
        "rooms",
    },
    "reporting": {"proof", "mesh", "parts", "quality", "recipe", "settings", "stages"},
    "flow": {"formats", "mesh", "numeric", "quality"},
    "proof": {"flow", "mesh", "parts", "quality"},
    "interface": {"formats", "mesh", "parts", "proof", "recipe", "settings", "stages"},
    "commands": {
        "flow",
        "formats",
        "interface",
        "mesh",
        "quality",
        "recipe",
        "parts",
        "reporting",
        "settings",
        "stages",
    },
    "cli.py": {"commands"},
}
OUTSIDE = {"django", "rest_framework", "procrastinate", "studies", "intaglio_server", "psycopg"}


def _imports(path: Path):
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.ImportFrom) and node.module and node.level == 0:
            yield node.module
        elif isinstance(node, ast.Import):
            yield from (a.name for a in node.names)


@pytest.mark.parametrize("part", MAY)
def test_parts_of_the_core_keep_their_arrows(part):
    paths = [CORE / part] if part.endswith(".py") else sorted((CORE / part).rglob("*.py"))
    assert paths
    for path in paths:
        for module in _imports(path):
            assert module.split(".")[0] not in OUTSIDE, f"{path} imports {module}"
            words = module.split(".")
            ground = ("errors", "findings", "units", part)
            if words[0] == "intaglio" and len(words) > 1 and words[1] not in ground:
                assert words[1] in MAY[part], f"{path.relative_to(CORE)} imports {module}"


def test_no_parts_of_the_core_import_each_other_in_a_circle():
    """By modules, not by parts: what is imported within a function counts too."""
    beside: dict[str, set[str]] = {}
    for path in sorted(CORE.rglob("*.py")):
        words = ("intaglio", *path.relative_to(CORE).with_suffix("").parts)
        name = ".".join(w for w in words if w != "__init__")
        beside[name] = set(_imports(path)) - {name}
    done: set[str] = set()

    def visit(name: str, way: tuple[str, ...]) -> None:
        assert name not in way, " → ".join((*way[way.index(name) :], name))
        if name in done:
            return
        for other in beside[name] & set(beside):
            visit(other, (*way, name))
        done.add(name)

    for name in beside:
        visit(name, ())


def test_only_its_module_knows_a_formats_spelling():
    for path in CORE.rglob("*.py"):
        if "formats" not in path.parts:
            assert "BCWall" not in path.read_text(), path
