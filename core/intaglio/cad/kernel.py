"""The CAD kernel itself: kept from printing, and what it raises when a construction fails, for its
classes share no base of their own."""

import inspect

from OCP import Standard, StdFail
from OCP.Message import Message

# it reports to the terminal by itself; what matters reaches the analyst as errors here
Message.DefaultMessenger_s().ChangePrinters().Clear()

KERNEL_ERRORS: tuple[type[Exception], ...] = tuple(
    kind
    for module in (Standard, StdFail)
    for kind in vars(module).values()
    if inspect.isclass(kind) and issubclass(kind, Exception)
)
