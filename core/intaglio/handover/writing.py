"""Writing the parts that are handed over, each read back before it is offered."""

from collections.abc import Callable, Sequence
from pathlib import Path

from intaglio.errors import StepFailed
from intaglio.handover.parts import ALWAYS, CHOSEN, Meant


def write_parts(
    meant: Meant,
    chosen: Sequence[str],
    folder: Path,
    progress: Callable[[float, str], None] = lambda share, doing: None,
) -> dict[str, int]:
    """Write the chosen parts and what always goes along into a folder; the files with their bytes.

    Every part is read back and compared with what was meant, to the last bit. Raises StepFailed
    where one says something else or cannot be written.
    """
    folder.mkdir(parents=True, exist_ok=True)
    parts = [part for part in (*CHOSEN, *ALWAYS) if part in ALWAYS or part.key in chosen]
    for k, part in enumerate(parts):
        path = folder / part.file
        try:
            progress(k / len(parts), f"writing {part.file}")
            part.write(meant, path)
            progress((k + 0.5) / len(parts), f"reading {part.file} back")
            wrong = list(part.differences(meant, path))
        except (OSError, ValueError, KeyError) as error:
            raise StepFailed(
                "not-written",
                f"{part.file} cannot be written and read back ({error}). Look whether there is "
                "room on the disk, and export again.",
            ) from error
        if wrong:
            raise StepFailed(
                "not-as-meant",
                f"{part.file} was read back and does not say what was meant: {', '.join(wrong)}. "
                "Nothing is handed over; export again, and report it if it happens again.",
            )
    return {
        path.relative_to(folder).as_posix(): path.stat().st_size
        for path in sorted(folder.rglob("*"))
        if path.is_file()
    }
