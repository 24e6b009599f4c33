"""Domain: the fluid inside, around or as the part, and its zones."""

from intaglio.parts.model import Product
from intaglio.stages.domain.defaults import domain_defaults
from intaglio.stages.domain.report import DomainReport
from intaglio.stages.domain.settings import Domain
from intaglio.stages.stage import Cost, Run, Sentence, Stage, from_report

_INSIDE = (("where", ("inside",)),)
_AROUND = (("where", ("around",)),)
# there are bodies that bound no volume
_OPEN = (("open", ("yes",)),)
_HALF = (*_AROUND, ("symmetry", ("x", "y", "z")))
_LONG = (*_AROUND, ("shape", ("box", "cylinder", "frustum")))
_BOX = (*_AROUND, ("shape", ("box",)))
_ROUND = (*_AROUND, ("shape", ("cylinder", "frustum")))
_SPHERE = (*_AROUND, ("shape", ("sphere",)))
_FRUSTUM = (*_AROUND, ("shape", ("frustum",)))
_SECTION = (("cut", ("section",)),)
_SECTOR = (("cut", ("sector",)),)


def _run(run: Run) -> Product:
    from intaglio.stages.domain.step import domain_step

    return domain_step(run.settings, run.product("geometry"), run.tell)


STAGE = Stage(
    "domain",
    "Domain",
    Domain,
    DomainReport,
    (
        Sentence("Here {where}."),
        Sentence("Close the openings {closed} and take the space at {pin}", _INSIDE),
        Sentence("Keep the bodies {solids} as solid zones.", _INSIDE),
        Sentence("Keep the sheets {sheets} as walls with two sides.", of_model=_OPEN),
        Sentence("It flows {along} through {shape}: {symmetry}.", _AROUND),
        Sentence("The plane lies at {symmetry_at}.", _HALF),
        Sentence("The shape reaches {ahead} ahead and {behind} behind,", _LONG),
        Sentence("{aside} aside, {above} above and {below} below.", _BOX),
        Sentence("and {aside} around.", _ROUND),
        Sentence("The sphere reaches {aside} beyond the body.", _SPHERE),
        Sentence("It widens {widening} times to its end.", _FRUSTUM),
        Sentence("Of this, take {cut}."),
        Sentence("It lies across {axis} at {section_at} and is {thickness} thick.", _SECTION),
        Sentence(
            "It is one of {sectors} about the axis {axis} through {through}, from {start} on.",
            _SECTOR,
        ),
    ),
    "Extract the fluid",
    ("geometry",),
    run=_run,
    defaults=from_report("geometry", domain_defaults),
    cost=lambda reports: Cost(3.0),
    version=2,
    gives=("model", "fluid"),
)
