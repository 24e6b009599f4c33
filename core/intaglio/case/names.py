"""Names of patches against those that a solver's case expects, with a proposal for each that is
not among them."""

import re
from collections.abc import Sequence
from difflib import SequenceMatcher

import numpy as np
from scipy.optimize import linear_sum_assignment

from intaglio.findings import Finding, offer
from intaglio.settings.blanks import NAME

# likeness under which a name is not proposed, and that of a name that tells the patch's kind alone
_LIKE, _BY_KIND, _BY_WORDS = 0.55, 0.6, 0.9
# words that tell a kind
_OF_KIND = {
    "inlet": ("inlet", "in", "inflow"),
    "outlet": ("outlet", "out", "outflow"),
    "wall": ("wall", "walls"),
    "symmetry": ("symmetry", "sym"),
    "far_field": ("far", "farfield"),
}


def names_findings(patches: Sequence[tuple[str, str]], expected: Sequence[str]) -> list[Finding]:
    """Findings for patches (name, kind) that the list does not name, and for names that no patch
    has. Each name is proposed once, so that all proposals can be taken together (the assignment of
    the greatest total likeness)."""
    if not expected:
        return []
    have = {name for name, _ in patches}
    odd = [(name, kind) for name, kind in patches if name not in expected]
    free = [name for name in dict.fromkeys(expected) if name not in have]
    unfit = [name for name in free if not NAME.match(name)]
    free = [name for name in free if NAME.match(name)]
    proposed = _proposals(odd, free)
    out = []
    if len(odd) == len(patches) and not proposed:
        return [
            Finding(
                "list-unlike",
                "caution",
                f"None of the {len(expected)} expected names is that of a patch, or like one.",
                advice="Look whether the list belongs to this case, or rename the patches.",
                repairs=[offer("Drop the list", "set", stage="case", settings={"expected": []})],
            )
        ]
    for name, _ in odd:
        to = proposed.get(name)
        repairs = [offer(f"Rename it {to}", "rename", names={name: to})] if to else []
        if to and len(proposed) > 1:
            repairs.append(offer(f"Rename all {len(proposed)} so", "rename", names=proposed))
        out.append(
            Finding(
                "name-unexpected",
                "caution",
                f"The solver's case expects no patch called {name}"
                + (f"; {to} is like it and still free." if to else "."),
                advice="Rename it in Patches, or take it into the list.",
                repairs=repairs,
            )
        )
    missing = [name for name in free if name not in proposed.values()]
    if missing:
        out.append(
            Finding(
                "name-missing",
                "caution",
                f"The solver's case expects {', '.join(missing)}, and no patch is called so.",
                count=len(missing),
                advice="Name a patch so, or take the name off the list.",
            )
        )
    if unfit:
        out.append(
            Finding(
                "name-unfit",
                "caution",
                f"Expected is “{'”, “'.join(unfit[:5])}”, which no patch can be called: a name is "
                "a letter, then letters, digits and underscores, 31 in all.",
                count=len(unfit),
                advice="Take another name in the solver's case.",
            )
        )
    return out


def _proposals(odd: Sequence[tuple[str, str]], free: Sequence[str]) -> dict[str, str]:
    """For patches a name of the list each, where one is like enough."""
    if not odd or not free:
        return {}
    like = np.array([[likeness(name, kind, other) for other in free] for name, kind in odd])
    rows, columns = linear_sum_assignment(like, maximize=True)
    return {odd[r][0]: free[c] for r, c in zip(rows, columns, strict=True) if like[r, c] >= _LIKE}


def likeness(name: str, kind: str, other: str) -> float:
    """How like two names are, 0 to 1, without signs and capitals: by their longest common runs
    (Ratcliff & Metzener, Dr Dobb's Journal 1988), by the words that they share (Jaccard), or
    because the other one tells the patch's kind."""
    one, two = _words(name), _words(other)
    runs = SequenceMatcher(None, "".join(one), "".join(two), autojunk=False).ratio()
    shared = len({*one} & {*two}) / max(1, len({*one} | {*two}))
    by_kind = _BY_KIND if {*two} & {*_OF_KIND.get(kind, (kind,))} else 0.0
    return max(runs, _BY_WORDS * shared, by_kind)


def _words(name: str) -> list[str]:
    """The words and numbers that a name is made of, parted by signs or by a capital."""
    return [w.lower() for w in re.findall(r"[A-Z]?[a-z]+|[A-Z]+(?![a-z])|[0-9]+", name)]
