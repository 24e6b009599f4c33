"""What the CAD kernel raises: classes without a common base."""

import OCP.Standard

KERNEL_FAULTS: tuple[type[Exception], ...] = (
    RuntimeError,
    *(
        found
        for found in vars(OCP.Standard).values()
        if isinstance(found, type) and issubclass(found, Exception)
    ),
)
