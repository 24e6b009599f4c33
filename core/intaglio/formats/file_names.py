"""Names as names of files: of patches and bodies, which may be called whatever one likes."""

import re

# what systems take for something else, or do not take at all
_UNFIT = re.compile(r'[\x00-\x1f\x7f/\\:*?"<>|\ud800-\udfff]')
_RESERVED = re.compile(r"^(con|prn|aux|nul|com\d|lpt\d)(\.|$)", re.IGNORECASE)
_LONGEST = 120


def file_name(words: str) -> str:
    """One name of a file, never a path, never empty and never hidden; most names as they are."""
    out = _UNFIT.sub("_", words).strip(" .")[:_LONGEST].rstrip(" .")
    return f"_{out}" if not out or _RESERVED.match(out) else out


def distinct(names: list[str]) -> list[str]:
    """Names of files for these names, no two alike even where capitals do not count."""
    out: list[str] = []
    taken: set[str] = set()
    for words in names:
        base = name = file_name(words)
        number = 2
        while name.lower() in taken:
            name, number = f"{base}_{number}", number + 1
        taken.add(name.lower())
        out.append(name)
    return out


def inner_path(path: str) -> str:
    """A path within an archive: its parts as names of files, none of them upward."""
    parts = [file_name(part) for part in path.split("/") if part not in ("", ".", "..")]
    return "/".join(parts) or "_"
