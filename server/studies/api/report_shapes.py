"""The reports of the stages in the API's schema, as their types in the core describe them."""

from typing import Any, Literal

from pydantic import TypeAdapter

from intaglio.proof.report import ProofReport
from intaglio.recipe.proving import FLOW
from intaglio.stages.layers.foretold import LayersTold
from intaglio.stages.registry import STAGES

# what is told beside the stages' reports
_BESIDE: dict[str, Any] = {FLOW: ProofReport, "layers foretold": LayersTold}
_PLACE = "#/components/schemas/{model}"


def report_schemas() -> dict[str, Any]:
    """A schema for each report and each type in it, and `Reports`, which holds one by stage."""
    # what is stored, not what might be accepted
    mode: Literal["serialization"] = "serialization"
    adapters: list[tuple[str, Literal["validation", "serialization"], TypeAdapter[Any]]] = [
        (stage.key, mode, TypeAdapter(stage.report)) for stage in STAGES
    ]
    adapters += [(key, mode, TypeAdapter(told)) for key, told in _BESIDE.items()]
    refs, common = TypeAdapter.json_schemas(adapters, ref_template=_PLACE)
    by_stage = {key: schema for (key, _), schema in refs.items() if key not in _BESIDE}
    return {
        **_without_titles(common.get("$defs", {})),
        "Reports": {
            "type": "object",
            "description": "The report of each stage.",
            "properties": by_stage,
            "required": list(by_stage),
        },
    }


def _without_titles(schema: Any) -> Any:
    """The same schema without the titles that only repeat the names."""
    if isinstance(schema, list):
        return [_without_titles(part) for part in schema]
    if not isinstance(schema, dict):
        return schema
    return {
        key: _without_titles(part)
        for key, part in schema.items()
        if not (key == "title" and isinstance(part, str))
    }


def add_report_schemas(result: dict[str, Any], **_: Any) -> dict[str, Any]:
    """Postprocessing of the generated schema: the reports' types beside the API's own."""
    result["components"]["schemas"] |= report_schemas()
    return result
