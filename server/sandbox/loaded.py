"""All that children compute with, the CAD kernel too: loaded once, by the process that they are
forked from. A server names this module and never imports it."""

# ruff: noqa: F401
import intaglio.parts.cad_kind
import intaglio.stages.domain.step
import intaglio.stages.geometry.step
import sandbox.answers
import sandbox.child
