"""The report of a study as one HTML page that needs nothing else, and prints."""

from collections.abc import Mapping, Sequence
from functools import cache
from typing import Any

from jinja2 import Environment, PackageLoader, StrictUndefined, Template
from markupsafe import Markup

from intaglio.recipe.plan import StageState, Store
from intaglio.reporting.content import content
from intaglio.reporting.proof import proof_content


@cache
def _template() -> Template:
    held = Environment(
        loader=PackageLoader("intaglio.reporting"),
        # names of studies and patches are anyone's
        autoescape=True,
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
    )
    # drawings are ours, not the analyst's
    held.filters["drawing"] = Markup
    return held.get_template("report.html")


def report_page(
    states: Sequence[StageState],
    store: Store,
    name: str,
    variant: str,
    file_name: str,
    made: str,
    proof: Mapping[str, Any] | None = None,
) -> str:
    """The page for the stages that are up to date; made: when, in words; proof: the report of the
    flow on what is handed over, if there is one that is up to date."""
    told = content(states, store, name, variant, file_name, made)
    return _template().render({**told, "proof": None if proof is None else proof_content(proof)})
