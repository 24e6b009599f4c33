"""What the CAD kernel raises when a construction fails: its classes share no base of their own."""

import inspect

from OCP import Standard, StdFail

KERNEL_ERRORS: tuple[type[Exception], ...] = tuple(
    kind
    for module in (Standard, StdFail)
    for kind in vars(module).values()
    if inspect.isclass(kind) and issubclass(kind, Exception)
)
