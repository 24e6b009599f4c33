"""The report of a study as one HTML page that needs nothing else, and prints."""

from collections.abc import Sequence
from functools import cache

from jinja2 import Environment, PackageLoader, StrictUndefined, Template
from markupsafe import Markup

from intaglio.recipe.plan import StageState, Store
from intaglio.reporting.content import content


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
    states: Sequence[StageState], store: Store, name: str, variant: str, file_name: str, made: str
) -> str:
    """The page for the stages that are up to date; made: when, in words."""
    return _template().render(content(states, store, name, variant, file_name, made))
