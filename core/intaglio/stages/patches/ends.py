"""Whether fluid can enter and leave through the patches."""

from collections.abc import Sequence

from intaglio.findings import Finding

# through these fluid may do both
_BOTH = ("opening", "far_field")


def missing_ends(kinds: Sequence[str]) -> list[Finding]:
    """What is missing among the kinds of patches that have faces."""
    out = []
    if not {"inlet", *_BOTH} & set(kinds):
        out.append(
            Finding(
                "no-inlet",
                "caution",
                "No patch is an inlet, so nothing drives the flow.",
                advice="Name one in Patches.",
            )
        )
    if not {"outlet", *_BOTH} & set(kinds):
        out.append(
            Finding(
                "no-outlet",
                "caution",
                "No patch is an outlet, so the pressure is not fixed.",
                advice="Name one in Patches.",
            )
        )
    return out
