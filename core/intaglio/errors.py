"""Errors that an analyst can act on: what happened, to which thing, what to do."""


class IntaglioError(Exception):
    """Base of all errors that the core raises on purpose.

    code: short stable name; message: one or two sentences for the analyst; places: points
    (n, 3) in model units where it happened, perhaps empty.
    """

    def __init__(self, code: str, message: str, places: list[list[float]] | None = None):
        super().__init__(message)
        self.code = code
        self.message = message
        self.places = places or []


class FileRejected(IntaglioError):
    """A file that cannot be taken in; nothing was changed."""


class SettingRejected(IntaglioError):
    """A setting that cannot be used; `blank` names it as stage.name."""

    def __init__(self, blank: str, message: str):
        super().__init__("setting", message)
        self.blank = blank


class StepFailed(IntaglioError):
    """A step that could not reach a valid result."""


class Cancelled(Exception):
    """The analyst asked to stop."""
