"""Changes of a variant's settings by several people: none takes back another's unseen."""

from typing import Any

from django.contrib.auth.models import User
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request

from studies.models import Edit, Variant
from studies.problems import Conflict

# edits of a variant that are remembered; what was made from a version before them is refused whole
_KEPT = 200


class Stale(Conflict):
    """What was written was made from a version that others have changed since."""

    default_code = "stale"

    def __init__(self, version: int, blanks: list[str], by: list[str]) -> None:
        who = " and ".join(by) or "somebody"
        what = f"changed {', '.join(blanks[:6])}" if blanks else "changed this"
        more = f" and {len(blanks) - 6} more" if len(blanks) > 6 else ""
        super().__init__(f"Meanwhile {who} {what}{more}. Nothing was changed by you.")
        self.stale = {"version": version, "blanks": blanks, "by": by}


def version_told(request: Request) -> int | None:
    """The version that a request was made from, from its header If-Match (RFC 9110, 13.1.1); None
    where it tells none. Raises ValidationError."""
    told = request.headers.get("If-Match", "*").strip().strip('"')
    if told == "*":
        return None
    if not told.isascii() or not told.isdigit() or len(told) > 9:
        raise ValidationError({"detail": "If-Match needs the version that was read, in quotes."})
    return int(told)


def refuse_stale(variant: Variant, since: int | None) -> None:
    """Raises Stale where a variant, which is locked, was changed after version `since`."""
    if since is None or since == variant.version:
        return
    edits = list(variant.edits.filter(version__gt=since).select_related("by").order_by("version"))
    blanks = list(dict.fromkeys(name for edit in edits for name in edit.blanks))
    if len(edits) != variant.version - since:
        # what is not known any more may be anything
        blanks = sorted(_blanks_of(variant.settings) | set(blanks))
    names = [edit.by.get_username() for edit in edits if edit.by is not None]
    raise Stale(variant.version, blanks, list(dict.fromkeys(names)))


def write_settings(variant: Variant, after: dict[str, Any], user: User) -> None:
    """Write settings of a variant that is locked, as its next version."""
    before = variant.settings
    changed = {
        name
        for name in _blanks_of(before) | _blanks_of(after)
        if _at(before, name) != _at(after, name)
    }
    variant.settings = after
    variant.version += 1
    variant.save(update_fields=["settings", "version"])
    Edit.objects.create(variant=variant, version=variant.version, by=user, blanks=sorted(changed))
    variant.edits.filter(version__lte=variant.version - _KEPT).delete()


def _blanks_of(given: dict[str, Any]) -> set[str]:
    return {f"{stage}.{name}" for stage, own in given.items() for name in own}


def _at(given: dict[str, Any], blank: str) -> Any:
    stage, name = blank.split(".", 1)
    # no value is None: that takes the derived one again
    return given.get(stage, {}).get(name)
